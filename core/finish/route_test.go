package finish

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sakuji/core/rates"
	"sakuji/core/route"
)

// Every finish route of the starting book can be read, in the order it stands there.
func TestTheBooksRoutes(t *testing.T) {
	b := rates.Starting()
	list := Routes(b)
	require.Len(t, list, len(b.Routes))
	for i, r := range list {
		assert.Equal(t, b.Routes[i].Key, r.Key)
		assert.Len(t, r.Steps, len(b.Routes[i].Steps))
		assert.Equal(t, r.Name, RouteName(r.Key))
		for _, s := range r.Steps {
			for _, key := range []rates.Key{s.Area, s.Wait, s.Use} {
				assert.True(t, key == "" || b.Has(key), "%s: %s is a figure of the book", r.Key, key)
			}
		}
	}
	assert.Equal(t, "Lantern skin", RouteName(OwnRoute+"Lantern skin"))
	assert.Empty(t, RouteName("nothing"))
	_, ok := RouteOf(b, "nothing")
	assert.False(t, ok)
}

// A route that would leave putty unsanded, a filled spot unprimed, scratches too deep for the next
// paper, or that says what nobody understands, is refused at the step.
func TestRoutesThatCannotBe(t *testing.T) {
	for _, c := range []struct {
		steps []string
		want  string
	}{
		{[]string{"spot putty", "primer", "look"}, `step 2, "primer": what was filled before it is not sanded`},
		{[]string{"primer", "look", "spot putty", "sand primer P320"}, `step 3, "spot putty": what it fills is not primed again`},
		{[]string{"look", "primer"}, `step 2, "primer": nobody looks at it after this coat`},
		{[]string{"sand resin P220 P600"}, "from P220 to P600 is more than double"},
		{[]string{"sand resin P220", "sand resin P800"}, `step 2, "sand resin P800": from P220 to P800 is more than double`},
		{[]string{"sand resin P400 P220"}, "papers go from coarse to fine"},
		{[]string{"sand resin P222"}, "there is no P222"},
		{[]string{"sand resin"}, "say with which papers"},
		{[]string{"primer P220"}, "only sanding takes papers"},
		{[]string{"primer 150 %"}, "is no share of the surface"},
		{[]string{"primer 15"}, "is no share of the surface"},
		{[]string{"sand it well P220"}, "there is no such step; there are clay skin"},
		{[]string{"%"}, "no such step"},
		{make([]string, MostSteps+1), "40 at most"},
	} {
		_, err := Read(rates.FinishRoute{Name: "ours", Steps: c.steps})
		assert.ErrorContains(t, err, c.want, "%q", c.steps)
	}
	_, err := Read(rates.FinishRoute{Name: "ours", Thick: "no.such", Steps: []string{"look"}})
	assert.ErrorContains(t, err, `ours thickens by "no.such"`)
	// A filling coat starts the ladder again, and a route without primer is left to paint.
	for _, steps := range [][]string{{"sand putty P80", "filler primer", "sand primer P180", "primer", "look"}, {"filler brushed on"}, {"SAND RESIN p220 p320 15%", "look"}, nil} {
		_, err := Read(rates.FinishRoute{Name: "ours", Steps: steps})
		assert.NoError(t, err, "%q", steps)
	}
}

// However a route is put together: one that is accepted never primes over unsanded putty, never ends
// on a filled spot, and planned on a part it is a stage for each paper, whose minutes add up.
func TestRoutesProperty(t *testing.T) {
	b, names := rates.Starting(), StepNames()
	rapid.Check(t, func(t *rapid.T) {
		text := rates.FinishRoute{Name: "ours", Steps: rapid.SliceOfN(rapid.Custom(func(t *rapid.T) string {
			line := rapid.SampledFrom(names).Draw(t, "step")
			if steps[line].Kind == route.Sand {
				line += rapid.SampledFrom([]string{" P220", " P180 P320", " P220 P320 P400", ""}).Draw(t, "papers")
			}
			return line + rapid.SampledFrom([]string{"", "", " 15 %"}).Draw(t, "share")
		}), 0, 8).Draw(t, "steps")}
		r, err := Read(text)
		if err != nil {
			return
		}
		wet, primed := false, false
		for _, s := range r.Steps {
			primed = primed || s.Kind == route.Prime
		}
		for _, s := range r.Steps {
			switch s.Kind {
			case route.Fill, route.Skin:
				wet = true
			case route.Sand:
				wet = false
			case route.Prime:
				if wet {
					t.Fatalf("%q primes over putty", text.Steps)
				}
			}
		}
		if wet && primed {
			t.Fatalf("%q leaves putty unsanded", text.Steps)
		}
		p := Part{Process: "resin", Tier: route.Primed, AreaMM2: 40_000, Smoothing: &r, Copies: 1}
		work, sum, split := Plan(b, p), 0.0, 0.0
		for _, w := range work {
			sum += w.Minutes
		}
		papers := 0
		for _, w := range Stages(work) {
			split += w.Minutes
			if w.Kind == route.Sand {
				papers++
				if w.How == "" {
					t.Fatalf("%q: a sanding does not say with what", text.Steps)
				}
			}
		}
		want := 0
		for _, s := range r.Steps {
			if s.Kind == route.Sand {
				if want++; s.times() == 1 {
					want += len(s.Papers) - 1
				}
			}
		}
		if papers != want || sum-split > 1e-9 || split-sum > 1e-9 {
			t.Fatalf("%q: %d stages of sanding, want %d; %g min, want %g", text.Steps, papers, want, split, sum)
		}
	})
}
