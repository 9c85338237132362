package kit

import (
	"net/url"
	"strings"
)

// OwnPath is a path of ours that somebody has sent, written again from what was read of it;
// otherwise is taken where it leads elsewhere, or nowhere. Browsers drop tabs and take a
// backslash for a slash, so that it is read and not compared by its beginning.
func OwnPath(sent, otherwise string) string {
	if strings.ContainsAny(sent, "\\") {
		return otherwise
	}
	u, err := url.Parse(sent) // refuses control characters
	if err != nil || u.Scheme != "" || u.Opaque != "" || u.User != nil || u.Host != "" || !strings.HasPrefix(u.Path, "/") || strings.HasPrefix(u.Path, "//") {
		return otherwise
	}
	return (&url.URL{Path: u.Path, RawPath: u.RawPath, RawQuery: u.RawQuery, Fragment: u.Fragment}).String()
}
