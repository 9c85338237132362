package route

import (
	"errors"
	"slices"
)

// MaySmooth says what is wrong with the order of smoothing, and at which of its stages: putty is
// sanded before it is primed, every filled spot is primed again, and the last look comes after the
// last coat. A route without any primer is left to paint. Source: common practice.
func MaySmooth(kinds []StageKind) (at int, err error) {
	primed := false
	for i, k := range kinds {
		primed = primed || k == Prime
		if Colours(k) || OfPrint(k) || k == Pack || k == Fit {
			return i, errors.New("this is no stage of smoothing")
		}
	}
	if !primed {
		return 0, nil
	}
	filled, sanded, last := -1, true, -1 // the last filling, whether it was sanded, the last coat
	for i, k := range kinds {
		switch k {
		case Fill, Skin:
			filled, sanded = i, false
		case Sand:
			sanded = true
		case Prime:
			if filled >= 0 && !sanded {
				return i, errors.New("what was filled before it is not sanded")
			}
			filled, last = -1, i
		}
	}
	switch {
	case filled >= 0:
		return filled, errors.New("what it fills is not primed again")
	case !slices.Contains(kinds[last:], Look):
		return last, errors.New("nobody looks at it after this coat")
	}
	return 0, nil
}
