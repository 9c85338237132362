package kit

import (
	"net/url"
	"testing"
)

// FuzzDecode reads whatever can be posted as the form of an item, the largest there is.
func FuzzDecode(f *testing.F) {
	for _, form := range []string{"title=Vase&copies=2&scale=100&parts[1].wall=2,5&with_options=1", "parts[x].wall=1", "parts[=1&parts]=2&parts[1]=3", "parts[1][2].wall=&copies=1e400",
		"scale=%00&title=%F0%9F%90%8C", "option=1&option=x&parts[99999999999999999999].wall=1", "parts.1.wall=1&parts[1].nothing[2]=3"} {
		f.Add(form)
	}
	f.Fuzz(func(t *testing.T, form string) {
		values, err := url.ParseQuery(form)
		if err != nil {
			return
		}
		out, err := decode[itemForm](values)
		if err == nil && len([]rune(out.Title)) > mostLetters {
			t.Fatal("a title without end")
		}
	})
}
