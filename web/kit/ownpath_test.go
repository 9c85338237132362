package kit

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Ways to lead elsewhere are those of the OWASP cheat sheet on unvalidated redirects, and
// what the URL standard has browsers drop or turn.
func TestOnlyOwnPaths(t *testing.T) {
	for sent, want := range map[string]string{
		"/orders/0408?a=1&b=c#items": "/orders/0408?a=1&b=c#items", "/": "/", "/bench?all=1": "/bench?all=1", "/a%2Fb": "/a%2Fb", "/é": "/%C3%A9",
		"//evil.example": "/x", "/\t/evil.example": "/x", "/\n/evil.example": "/x", "\t//evil.example": "/x", `/\evil.example`: "/x", `\/evil.example`: "/x",
		"https://evil.example/": "/x", "javascript:alert(1)": "/x", "orders": "/x", "": "/x", "///evil.example": "/x", "/ /evil.example": "/%20/evil.example",
		"http:/orders": "/x", "//user@evil.example/": "/x", "/%09/evil.example": "/%09/evil.example", "?next=/": "/x",
	} {
		assert.Equal(t, want, OwnPath(sent, "/x"), "%q", sent)
	}
}
