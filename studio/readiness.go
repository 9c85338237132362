package studio

import (
	"errors"
	"fmt"
	"time"

	"sakuji/core/route"
)

// Around is what the readiness of a piece goes by beside its own strip.
type Around struct {
	Pieces   []Piece // of its item: what it is made of, goes into, or is packed with
	Drying   *Drying // the air and its paints; nil: its strip alone says what waits
	Unsigned string  // colours of its next stage that nobody has signed off; empty: none
	Sealed   string  // resin shut in that the cure, if that is next, would not reach; empty: none
}

// Readiness is whether hands may do what is next of a piece at a time, and what it waits for. What refuses it is put right
// before it is done; all else passes with a reason.
type Readiness struct {
	Refused  error            // its state, or its strip
	Held     []Piece          // that are not as far as it needs them
	Wait     *route.WaitError // by its strip, by what lies on it and the air, whichever is later
	Unsigned string           // the owner’s to sign off
	Sealed   string           // the owner’s to give a reason for
}

// Readiness says it. A stage that was done earlier is judged at that time.
func (p Piece) Readiness(at time.Time, by Around) (r Readiness) {
	r.Held = p.heldAt(at, by.Pieces)
	if p.State != AtBench {
		r.Refused = p.MayStamp(at)
		return r
	}
	if err := p.Strip().MayStamp(at); !errors.As(err, &r.Wait) {
		r.Refused = err
	}
	if by.Drying != nil {
		r.Wait = by.Drying.Waits(p, at)
	}
	r.Unsigned, r.Sealed = by.Unsigned, by.Sealed
	return r
}

// Hands reports whether hands may take it as it is: no sheet offers what is not ready, and all may be stamped that is.
func (r Readiness) Hands() bool { return r.Refused == nil && len(r.Held) == 0 && r.Wait == nil }

// Begin is why hands cannot begin it; nil: they can.
func (r Readiness) Begin() error {
	switch {
	case r.Refused != nil:
		return r.Refused
	case len(r.Held) > 0:
		return errors.New(Held(r.Held))
	case r.Wait != nil:
		return r.Wait
	}
	return nil
}

// Stamp is why it cannot be stamped, for all that anybody says of it, or without a reason; nil: it can. What waits is the
// stamp’s own to tell.
func (r Readiness) Stamp(code string, reason bool) error {
	switch {
	case len(r.Held) > 0:
		return fmt.Errorf("%s %s", code, Held(r.Held))
	case reason:
		return nil
	case r.Unsigned != "":
		return fmt.Errorf("%s To go on all the same, give the reason", r.Unsigned)
	case r.Sealed != "":
		return fmt.Errorf("%s To cure it all the same, give the reason", r.Sealed)
	}
	return nil
}
