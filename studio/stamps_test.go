package studio

import (
	"math/rand/v2"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"sakuji/core/finish"
	"sakuji/core/route"
)

// stamper stamps pieces at random, and knows what must be true of each.
type stamper struct {
	t     *testing.T
	r     *rand.Rand
	now   time.Time
	d     Drying
	done  []int // stamps that count, of each piece
	list  []Piece
	saw   []string // what some tablet showed of each when it was drawn
	count map[string]int
}

func (s *stamper) strip() (out StageList) {
	kinds := []route.StageKind{route.Wash, route.Fill, route.Sand, route.Prime, route.Look, route.Base, route.Mask, route.Spray, route.Pull, route.Clear, route.Pack}
	for k, kind := range kinds {
		st := Stage{Position: k, Stage: route.Stage{Kind: kind, Mark: route.Todo, PlannedMin: 3}}
		if s.r.IntN(2) == 0 {
			st.WaitS = s.r.Int64N(8 * 3600)
		}
		out = append(out, st)
	}
	return out
}

// step does one thing that a tablet may ask for: a stamp of what it showed a while ago, one of a tablet that was
// without a network, too early with a reason or without, a look that sends back, a stamp taken back.
func (s *stamper) step() {
	k := s.r.IntN(len(s.list))
	p := s.list[k]
	act := Act{At: s.now, PersonID: 1, Who: "IK"}
	if s.r.IntN(3) == 0 {
		s.saw[k] = p.Shown()
	}
	before := p.Strip().Now()
	switch what := s.r.IntN(20); {
	case what == 0:
		if to := p.Strip().BackTo(); len(to) > 0 && len(p.Stages) < 60 {
			after, _, err := p.SendBack(act, to[s.r.IntN(len(to))], "", s.saw[k], time.UTC)
			if s.keep(k, after, err, "sent back") {
				s.done[k]++
			}
		}
	case what == 1:
		after, _, err := p.TakeBack(act)
		if s.keep(k, after, err, "taken back") {
			s.done[k]--
		}
	default:
		st := Stamp{Minutes: -1, Shown: s.saw[k], Drying: &s.d}
		if s.r.IntN(4) == 0 {
			st.At = s.now.Add(-time.Duration(s.r.IntN(7200)) * time.Second)
		}
		if s.r.IntN(6) == 0 {
			st.Early, st.Note = s.r.IntN(2) == 0, "hard to the nail"
		}
		after, _, err := p.Stamp(act, st, time.UTC)
		if s.keep(k, after, err, "stamped") {
			s.done[k]++
			s.check(p, after, before, st)
		}
	}
}

func (s *stamper) keep(k int, after Piece, err error, what string) bool {
	if err != nil {
		s.count["refused"]++
		return false
	}
	s.list[k], s.count[what] = after, s.count[what]+1
	return true
}

// check looks at a stamp by the strip alone: it is on the stage that was next and that the tablet showed, it is not
// before the one before it, and no wait was skipped without a reason.
func (s *stamper) check(was, is Piece, at int, st Stamp) {
	require.Equal(s.t, was.Shown(), st.Shown, "a stamp for what a tablet showed is on nothing else")
	require.Equal(s.t, route.Done, is.Stages[at].Mark)
	require.Len(s.t, is.Stages, len(was.Stages))
	done := is.Stages[at].Done
	if last := was.Last(); last != nil {
		require.False(s.t, done.Before(last.Done))
		if done.Before(last.Until) && last.Mark == route.Done {
			require.NotEmpty(s.t, st.Note, "a wait was skipped")
		}
	}
	if w := s.d.Waits(was, done); w != nil {
		require.NotEmpty(s.t, st.Note, "%s was skipped", w.For)
	}
	for i := range was.Stages {
		if i != at {
			require.Equal(s.t, was.Stages[i], is.Stages[i], "nothing else is touched")
		}
	}
}

// Stamps in any order, from tablets that have fallen behind or were without a network: none skips a wait without a
// reason, none is lost or doubled. `make bench` gives a million of them.
func TestStampsInAnyOrder(t *testing.T) {
	stamps := 120_000
	if os.Getenv("SAKUJI_STAMPS") != "" {
		stamps = 1_000_000
	}
	s := &stamper{t: t, r: rand.New(rand.NewPCG(16, 9)), now: nine, d: warm(finish.Paints{Base: route.Enamel}), count: map[string]int{}}
	for range 40 {
		s.list, s.saw, s.done = append(s.list, Piece{Code: "0400-1", State: AtBench, Stages: s.strip()}), append(s.saw, ""), append(s.done, 0)
		s.saw[len(s.saw)-1] = s.list[len(s.list)-1].Shown()
	}
	for n := range stamps {
		s.now = s.now.Add(time.Duration(s.r.IntN(120)) * time.Second)
		s.step()
		k := n % len(s.list)
		if s.list[k].State == PieceDone { // another one in its place
			s.list[k], s.done[k] = Piece{Code: "0400-1", State: AtBench, Stages: s.strip()}, 0
			s.saw[k] = s.list[k].Shown()
		}
		marked := 0
		for _, st := range s.list[k].Stages {
			if st.Mark != route.Todo {
				marked++
			}
		}
		require.Equal(t, s.done[k], marked, "as many stamps as were given")
	}
	require.Greater(t, s.count["stamped"], stamps/10)
	require.Greater(t, s.count["refused"], stamps/10)
	require.Positive(t, s.count["taken back"])
	require.Positive(t, s.count["sent back"])
	t.Logf("%v", s.count)
}
