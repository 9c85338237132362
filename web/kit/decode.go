package kit

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"math"
	"net/http"
	"net/url"
	"reflect"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/go-playground/form/v4"
	"github.com/go-playground/validator/v10"

	"sakuji/app/change"
	"sakuji/core/rates"
	"sakuji/studio"
)

// A form is a struct whose fields say their name in the page (form), what people call it
// (label) and what is taken (validate). Numbers are read with comma or point; one that is
// left out is nothing.

// Optional is a number that may be left out where nothing means something else than 0.
type Optional struct {
	Value float64
	Given bool
}

// Pointer is nil when the number was left out.
func (o Optional) Pointer() *float64 {
	if !o.Given {
		return nil
	}
	return &o.Value
}

// Must is the number, or what is said where it was left out: empty is not 0.
func (o Optional) Must(field, label string) (float64, error) {
	if !o.Given {
		return 0, change.RefuseField(field, "%s: nothing stands there, and empty is not 0. Nothing was noted.", label)
	}
	return o.Value, nil
}

// Moment is a day, or a day and time, as a field sends it; it may be left out. Whose clock
// it is by, the sheet knows.
type Moment struct{ wall time.Time }

// In is the moment by a zone's clock, the zero time when it was left out.
func (m Moment) In(zone *time.Location) time.Time {
	if m.wall.IsZero() {
		return m.wall
	}
	y, month, d := m.wall.Date()
	return time.Date(y, month, d, m.wall.Hour(), m.wall.Minute(), m.wall.Second(), 0, zone)
}

func momentOf(text string) (m Moment, err error) {
	for _, layout := range []string{"2006-01-02T15:04", "2006-01-02T15:04:05", time.DateOnly} {
		if m.wall, err = time.Parse(layout, text); err == nil {
			return m, studio.Believed(m.wall)
		}
	}
	return Moment{}, fmt.Errorf("%q is not a day and time", text)
}

var (
	decoder = newDecoder()
	checker = newChecker()
)

// mostLetters is how long a text is at most where nothing shorter is said.
const mostLetters = 4000

func newDecoder() *form.Decoder {
	d := form.NewDecoder()
	number := func(of []string) (float64, error) {
		if len(of) == 0 || strings.TrimSpace(of[0]) == "" {
			return 0, nil
		}
		return studio.ParseNumber(of[0])
	}
	whole := func(of []string) (any, error) {
		v, err := number(of)
		if err == nil && (v != math.Trunc(v) || math.Abs(v) > 1e9) {
			err = fmt.Errorf("a whole number, not %q", of[0])
		}
		return v, err
	}
	d.RegisterCustomTypeFunc(func(of []string) (any, error) { return number(of) }, float64(0))
	d.RegisterCustomTypeFunc(func(of []string) (any, error) {
		v, err := whole(of)
		f, _ := v.(float64)
		return int(f), err
	}, int(0))
	d.RegisterCustomTypeFunc(func(of []string) (any, error) {
		v, err := whole(of)
		f, _ := v.(float64)
		return int64(f), err
	}, int64(0))
	d.RegisterCustomTypeFunc(func(of []string) (any, error) {
		if len(of) == 0 || strings.TrimSpace(of[0]) == "" {
			return Moment{}, nil
		}
		return momentOf(strings.TrimSpace(of[0]))
	}, Moment{})
	d.RegisterCustomTypeFunc(func(of []string) (any, error) {
		v, err := number(of)
		return Optional{v, len(of) > 0 && strings.TrimSpace(of[0]) != ""}, err
	}, Optional{})
	d.RegisterCustomTypeFunc(func(of []string) (any, error) { return len(of) > 0 && of[0] != "", nil }, false)
	d.RegisterCustomTypeFunc(func(of []string) (any, error) {
		if len(of) == 0 {
			return "", nil
		}
		text := strings.TrimSpace(of[0])
		if n := utf8.RuneCountInString(text); n > mostLetters {
			return "", fmt.Errorf("at most %d letters, not %d", mostLetters, n)
		}
		return text, nil
	}, "")
	return d
}

func newChecker() *validator.Validate {
	v := validator.New(validator.WithRequiredStructEnabled())
	v.RegisterTagNameFunc(func(f reflect.StructField) string { return f.Tag.Get("form") })
	v.RegisterCustomTypeFunc(func(of reflect.Value) any { return of.Interface().(Optional).Value }, Optional{})
	return v
}

// Decode reads a posted form, with one word for each field that is wrong.
func Decode[T any](r *http.Request) (out T, err error) {
	if err := r.ParseForm(); err != nil {
		return out, &change.Refusal{Text: "The form did not arrive whole."}
	}
	return decode[T](r.PostForm)
}

// DecodeQuery reads what stands in the address.
func DecodeQuery[T any](r *http.Request) (out T, err error) { return decode[T](r.URL.Query()) }

func decode[T any](values url.Values) (out T, err error) {
	defer func() {
		if recover() != nil { // the package panics where a name is half a part of a list
			err = &change.Refusal{Text: "The form is not one of this sheet."}
		}
	}()
	labels := labelsOf(reflect.TypeFor[T]())
	wrong := map[string]string{}
	var unread form.DecodeErrors
	switch err := decoder.Decode(&out, values); {
	case errors.As(err, &unread):
		for field, err := range unread {
			wrong[field] = fmt.Sprintf("%s: %s.", labels(field), err)
		}
	case err != nil:
		return out, &change.Refusal{Text: "The form is not one of this sheet."}
	}
	var refused validator.ValidationErrors
	if errors.As(checker.Struct(out), &refused) {
		for _, f := range refused {
			_, field, _ := strings.Cut(f.Namespace(), ".") // behind the struct's own name
			if wrong[field] == "" {
				wrong[field] = labels(field) + ": " + takes(f) + "."
			}
		}
	}
	return out, refusalOf(wrong)
}

// DecodeNumbers reads the numbers of a posted form whose names begin so; named says what
// people call each by the rest of its name, and nothing for those that are not wanted.
func DecodeNumbers[K ~string](r *http.Request, prefix string, named func(key K) string) (map[K]float64, error) {
	if err := r.ParseForm(); err != nil {
		return nil, &change.Refusal{Text: "The form did not arrive whole."}
	}
	out, wrong := map[K]float64{}, map[string]string{}
	for field := range r.PostForm {
		rest, ok := strings.CutPrefix(field, prefix)
		key := K(rest)
		if !ok || named(key) == "" {
			continue
		}
		v, err := studio.ParseNumber(Word(r, field))
		if err != nil {
			wrong[field] = fmt.Sprintf("%s: %s.", named(key), err)
		}
		out[key] = v
	}
	return out, refusalOf(wrong)
}

// refusalOf is what is wrong, field by field; nil when nothing is.
func refusalOf(wrong map[string]string) error {
	if len(wrong) == 0 {
		return nil
	}
	refusal := &change.Refusal{}
	for _, field := range slices.Sorted(maps.Keys(wrong)) {
		refusal.Fields = append(refusal.Fields, rates.Wrong{Field: field, Text: wrong[field]})
		refusal.Text = strings.TrimSpace(refusal.Text + " " + wrong[field])
	}
	return refusal
}

// takes says what a field takes, of its validate tag.
func takes(f validator.FieldError) string {
	switch f.Tag() {
	case "required":
		return "it is needed"
	case "oneof":
		return "one of " + strings.ReplaceAll(f.Param(), " ", ", ")
	case "max":
		return "at most " + f.Param() + " letters"
	case "gte":
		return "at least " + f.Param()
	case "lte":
		return "at most " + f.Param()
	}
	return "not " + fmt.Sprint(f.Value())
}

// labelsOf finds what people call the field of a form by its name in the page, in parts
// and maps too.
func labelsOf(t reflect.Type) func(field string) string {
	known := map[string]string{}
	var walk func(t reflect.Type)
	walk = func(t reflect.Type) {
		switch t.Kind() {
		case reflect.Map, reflect.Slice, reflect.Pointer:
			walk(t.Elem())
		case reflect.Struct:
			for f := range t.NumField() {
				field := t.Field(f)
				known[field.Tag.Get("form")] = field.Tag.Get("label")
				walk(field.Type)
			}
		}
	}
	walk(t)
	return func(field string) string {
		name := field[strings.LastIndex(field, ".")+1:]
		if of, key, ok := strings.Cut(name, "["); ok && known[name] == "" {
			name = cmp.Or(strings.TrimSuffix(key, "]"), of)
		}
		return cmp.Or(known[name], studio.UpperFirst(strings.ReplaceAll(name, "_", " ")))
	}
}
