package kit

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What a form sends if nobody touches it is read as a browser would.
func TestDrawnForms(t *testing.T) {
	list := DrawnForms([]byte(`<p>data-kept</p><form method="post" data-kept action="/a"><label>Name<input name="title" value="a &amp; b"></label>
		<label>Process <select name="p"><option>resin</option><option selected>filament</option></select></label>
		<select name="q"><option value="">none</option><option value="1">one</option></select>
		<textarea name="t">
x &lt; y</textarea><input type="checkbox" name="on" checked><input type="checkbox" name="off"><input type="password" name="pw" value="z"><input name="gone" value="1" disabled>
		<input aria-label="Amount" name="amount" value="1"><button name="do" value="1">Go</button></form><form action="/b"><input name="x"></form>`))
	require.Len(t, list, 2)
	f := list[0]
	assert.Equal(t, "amount=1&on=on&p=filament&q=&t=x+%3C+y&title=a+%26+b", f.Values.Encode())
	assert.Equal(t, "Name", f.Labels["title"])
	assert.Equal(t, "Amount", f.Labels["amount"])
	assert.True(t, f.kept)
	assert.False(t, list[1].kept)
	for _, odd := range []string{"", "<form", "<form data-kept", "<form data-kept>", "</form>", "<select name=x><option", "<form><textarea name=a>", strings.Repeat("<form data-kept>", 50)} {
		assert.NotPanics(t, func() { DrawnForms([]byte(odd)) }, odd)
	}
}
