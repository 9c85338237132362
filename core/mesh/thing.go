package mesh

import (
	"errors"
	"fmt"
	"math"
)

// What counts as a thing, by its largest side in the numbers of its file: from a speck of
// dust to a house, and whatever unit it was drawn in it can be taken for a print. Beyond,
// floating point no longer tells one corner from the next. Source: from memory; a figure of
// half a metre drawn in microns measures 500,000.
const (
	LeastMM = 1e-3 // 1 µm
	MostMM  = 1e6  // 1 km; drawn in microns, 1 m
	FarMM   = 1e7  // from the origin
)

// ErrNoThing is what is too small, too large or too far away to be a thing.
var ErrNoThing = errors.New("no size of a thing that is printed")

// CheckSize says whether a model is a thing.
func (s *Soup) CheckSize() error {
	size, largest, far := s.Box.Size(), 0.0, 0.0
	for _, x := range [3]float64{size.X, size.Y, size.Z} {
		largest = max(largest, x) // NaN where one is
	}
	for _, x := range [6]float64{s.Box.Min.X, s.Box.Min.Y, s.Box.Min.Z, s.Box.Max.X, s.Box.Max.Y, s.Box.Max.Z} {
		far = max(far, math.Abs(x))
	}
	switch {
	case !(largest <= MostMM):
		return &FormatError{Err: ErrNoThing, Detail: fmt.Sprintf("its largest side measures %.3g; up to %g is taken", largest, float64(MostMM))}
	case s.Len() > 0 && largest < LeastMM:
		return &FormatError{Err: ErrNoThing, Detail: fmt.Sprintf("its largest side measures %.3g; from %g on is taken", largest, LeastMM)}
	case !(far <= FarMM):
		return &FormatError{Err: ErrNoThing, Detail: fmt.Sprintf("it lies %.3g from the origin; up to %g is taken. Move it there", far, float64(FarMM))}
	}
	return nil
}

// thing is a model that was read, if it is one.
func thing(s *Soup, err error) (*Soup, error) {
	if err == nil {
		err = s.CheckSize()
	}
	if err != nil {
		return nil, err
	}
	return s, nil
}
