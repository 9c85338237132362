package rates

import (
	"fmt"
	"strings"
)

// Wrong is what is wrong with one figure or word that somebody has written, by the name
// that forms have it under: copies, parts[7].wall.
type Wrong struct{ Field, Text string }

// Invalid is all that is wrong with what somebody has written.
type Invalid []Wrong

// Need notes what is wrong with a field unless it is all right.
func (v *Invalid) Need(ok bool, field, format string, args ...any) {
	if !ok {
		*v = append(*v, Wrong{field, fmt.Sprintf(format, args...)})
	}
}

// Err is the whole as an error, nil when nothing is wrong.
func (v Invalid) Err() error {
	if len(v) == 0 {
		return nil
	}
	return v
}

// Error joins all of it.
func (v Invalid) Error() string {
	texts := make([]string, len(v))
	for i, w := range v {
		texts[i] = w.Text
	}
	return strings.Join(texts, "; ")
}

// Amiss is what is wrong with a single field.
func Amiss(field, format string, args ...any) error {
	return Invalid{{field, fmt.Sprintf(format, args...)}}
}
