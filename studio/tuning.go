package studio

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"sakuji/core/process"
	"sakuji/core/rates"
)

// Tuning is a line of a machine's log: what was set or tried on it, and what that took.
type Tuning struct {
	ID         int64
	MachineID  int64
	MaterialID int64 // 0: of none in particular
	PersonID   int64
	At         time.Time
	Did        string
	HandsMin   float64
	Grams      float64
}

// Check says what is wrong with it.
func (t Tuning) Check() (v rates.Invalid) {
	v.Need(strings.TrimSpace(t.Did) != "" && len(t.Did) <= 300, "did", "say what was done, in a few words")
	v.Need(t.HandsMin >= 0 && t.HandsMin <= 24*60, "hands", "minutes: a day at most")
	v.Need(t.Grams >= 0 && t.Grams <= 10_000, "grams", "grams: 10,000 at most")
	return v
}

// Tune sets figures of a machine for a material; 0 takes one back to the machine's own. It says
// what has changed.
func (m Machine) Tune(material Material, values map[rates.FigureKey]float64) (Machine, []string, error) {
	var wrong rates.Invalid
	wrong.Need(material.Process == m.Process, "material", "%s is not for %s", material.Name, m.Name)
	own := maps.Clone(m.Tuned[material.ID])
	if own == nil {
		own = rates.Set{}
	}
	var did []string
	for _, key := range process.Of(m.Process).Tunable {
		v, given := values[key]
		base, known := m.Figures[key]
		if !given || !known {
			continue
		}
		wrong.Need(rates.Sane(v), string(key), "%s: %g %s is hard to believe", base.Label, v, base.Unit)
		was := base
		if f, is := own[key]; is {
			was = f
		}
		if v == 0 || v == base.Value {
			delete(own, key)
			v = base.Value
		} else {
			base.Value, base.Source = v, rates.Ours
			own[key] = base
		}
		if v != was.Value {
			did = append(did, fmt.Sprintf("%s %s %s, was %s", base.Label, rates.Number(v), base.Unit, rates.Number(was.Value)))
		}
	}
	m.Tuned = maps.Clone(m.Tuned)
	if m.Tuned == nil {
		m.Tuned = map[int64]rates.Set{}
	}
	if m.Tuned[material.ID] = own; len(own) == 0 {
		delete(m.Tuned, material.ID)
	}
	return m, did, wrong.Err()
}

// Retuned says which figures are others than they were; empty: none.
func (m Machine) Retuned(was Machine) string {
	var did []string
	for _, key := range slices.Sorted(maps.Keys(m.Figures)) {
		if f := m.Figures[key]; f.Value != was.Figures.V(key) {
			did = append(did, fmt.Sprintf("%s %s %s, was %s", f.Label, rates.Number(f.Value), f.Unit, rates.Number(was.Figures.V(key))))
		}
	}
	return strings.Join(did, "; ")
}

// trustedAfter is how many runs must have gone well before a machine is trusted. Source: from memory.
const trustedAfter = 5

// OnTrial says that a machine is new, by how many of its runs went well; empty: it is trusted.
func (m Machine) OnTrial(good int) string {
	if good >= trustedAfter {
		return ""
	}
	text := fmt.Sprintf("on trial: %d of %d runs went well", good, trustedAfter)
	if n := m.Figures.V("tries"); n > 0 {
		text += fmt.Sprintf("; about %s tries fail until then", rates.Number(n))
	}
	return text
}

// TriesText is what a new machine takes before it is trusted, where a run of it takes so much; empty:
// nothing is set aside for that.
func (m Machine) TriesText(runMin, runGrams float64) string {
	n := m.Figures.V("tries")
	if n <= 0 {
		return ""
	}
	return fmt.Sprintf("before it is trusted about %s failed tries, %s and %s g", rates.Number(n), Hours(n*runMin), rates.Number(n*runGrams))
}

// Portion is how much of a machine's failures is of one kind, 8 times in 10 between two shares.
type Portion struct {
	Name            string
	Count           int
	Mean, Low, High float64
}

// Failures is what a machine's runs say of how often it fails, and why.
type Failures struct {
	Runs, Failed int
	Hours        float64
	PerHour      float64 // with what the book believes
	Low, High    float64 // 8 times in 10
	Whose        []Portion
	Causes       []Portion
}

// What is left out at either end of 8 times in 10.
const (
	lowChance  = 0.1
	highChance = 0.9
)

// FailuresOf works them out from runs that are over: the book's rate as if it had been seen for
// failure.trust hours, and what the machine did on top; shares of causes as if each had been seen once.
func (h Shop) FailuresOf(m Machine, runs []RunResult) (out Failures) {
	trust := h.Book.V("failure.trust")
	rate := process.Rate{Events: h.Book.V(process.Of(m.Process).Failure) * trust, Hours: trust}
	signs, whose := map[string]int{}, map[string]int{}
	for _, r := range runs {
		bad, all := r.pieces()
		if r.MachineID != m.ID || all == 0 || r.hours() <= 0 {
			continue
		}
		out.Runs++
		out.Hours += r.hours()
		rate = rate.And(float64(bad)/float64(all), r.hours())
		if r.Outcomes[Failed] > 0 {
			out.Failed++
			signs[process.FaultOf(r.Cause).Sign]++
			whose[process.FaultOf(r.Cause).Whose]++
		}
	}
	out.PerHour, out.Low, out.High = rate.PerHour(), rate.Below(lowChance), rate.Below(highChance)
	out.Causes = portions(signs, len(process.Faults(m.Process)))
	out.Whose = portions(whose, len(process.Doers()))
	return out
}

// portions are the shares of what was counted, of so many kinds, the largest first.
func portions(counted map[string]int, kinds int) (out []Portion) {
	all := 0
	for _, n := range counted {
		all += n
	}
	for _, name := range slices.Sorted(maps.Keys(counted)) {
		n := counted[name]
		s := process.Share{Of: float64(n) + 1, Rest: float64(all-n) + float64(max(1, kinds-1))}
		out = append(out, Portion{name, n, s.Mean(), s.Below(lowChance), s.Below(highChance)})
	}
	slices.SortStableFunc(out, func(a, b Portion) int { return cmp.Compare(b.Count, a.Count) })
	return out
}

// WentWell is how many of a machine's runs went through without a failure.
func WentWell(m Machine, runs []RunResult) (n int) {
	for _, r := range runs {
		if bad, all := r.pieces(); r.MachineID == m.ID && all > 0 && bad == 0 {
			n++
		}
	}
	return n
}
