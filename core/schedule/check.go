package schedule

import (
	"cmp"
	"fmt"
	"slices"
)

// Faults says what is wrong with a plan: it looks at places and problem alone, and knows nothing of how
// the plan came about.
func Faults(p *Problem, plan Plan) (out []string) {
	add := func(i int, format string, args ...any) {
		out = append(out, p.named(i)+": "+fmt.Sprintf(format, args...))
	}
	if len(plan.At) != len(p.Tasks) {
		return []string{fmt.Sprintf("%d of %d tasks are planned", len(plan.At), len(p.Tasks))}
	}
	type use struct {
		span Span
		task int
	}
	uses := make([][]use, len(p.Resources))
	for i, t := range p.Tasks {
		at := plan.At[i]
		if t.Fixed != nil {
			if at != *t.Fixed {
				add(i, "is not where it is fixed")
			}
		} else {
			k := slices.IndexFunc(t.On, func(m Mode) bool { return m.Resource == at.Resource })
			if k < 0 {
				add(i, "is on a resource that does not do it")
				continue
			}
			lasts(p, i, t.On[k].S-setUp(p, plan, i), at, add)
		}
		if r := max(t.FromS, p.Jobs[t.Job].ReleaseS); at.StartS < max(0, r) && t.Fixed == nil {
			add(i, "begins before its job may")
		}
		for _, b := range t.After {
			if at.StartS < plan.At[b].EndS+p.Tasks[b].WaitS && t.Fixed == nil {
				add(i, "begins before %s is over and has waited", p.named(b))
			}
			if gap := at.StartS - plan.At[b].EndS; t.Fixed == nil && p.Tasks[b].WithinS > 0 && gap > p.Tasks[b].WithinS && gap < p.Tasks[b].AgainS {
				add(i, "begins while the window of %s is shut", p.named(b))
			}
		}
		if at.EndS > at.StartS {
			uses[at.Resource] = append(uses[at.Resource], use{Span{at.StartS, at.EndS}, i})
			for _, r := range t.With {
				uses[r] = append(uses[r], use{Span{at.StartS, at.EndS + t.KeepS}, i})
			}
		}
	}
	out = slices.Concat(out, dusted(p, plan), tiredOut(p, plan), crowded(p, plan))
	for r, list := range uses {
		slices.SortFunc(list, func(a, b use) int { return cmp.Compare(a.span.FromS, b.span.FromS) })
		for k := 1; k < len(list); k++ {
			if list[k].span.FromS < list[k-1].span.ToS && (p.Tasks[list[k].task].Fixed == nil || p.Tasks[list[k-1].task].Fixed == nil) {
				add(list[k].task, "lies on %s at the same time as %s", p.Resources[r].Name, p.named(list[k-1].task))
			}
		}
	}
	if c := p.cost(plan.At); c != plan.Cost {
		out = append(out, fmt.Sprintf("it costs %+v, not %+v", c, plan.Cost))
	}
	return out
}

// lasts looks at how long a task takes, and whether its resources are open.
func lasts(p *Problem, i int, s int64, at Placed, add func(int, string, ...any)) {
	t := p.Tasks[i]
	hours := p.Resources[at.Resource].Hours
	switch {
	case !t.Split && at.EndS-at.StartS != s:
		add(i, "takes %d s, not %d s", at.EndS-at.StartS, s)
	case !t.Split && hours.OpenS(at.StartS, at.EndS) != s:
		add(i, "runs on while %s is closed", p.Resources[at.Resource].Name)
	case t.Split && hours.OpenS(at.StartS, at.EndS) != s:
		add(i, "has %d s of %d s", hours.OpenS(at.StartS, at.EndS), s)
	}
	for _, w := range t.With {
		if !t.Split && p.Resources[w].Hours.OpenS(at.StartS, at.EndS) != s {
			add(i, "%s is not there all the time", p.Resources[w].Name)
		}
	}
}

// setUp is what a task saves because the same was set up not long ago on its resource, if it makes use of it.
func setUp(p *Problem, plan Plan, i int) int64 {
	t, at := p.Tasks[i], plan.At[i]
	k := slices.IndexFunc(t.On, func(m Mode) bool { return m.Resource == at.Resource })
	if t.Mix.ID == 0 || p.Resources[at.Resource].Hours.OpenS(at.StartS, at.EndS) >= t.On[k].S {
		return 0
	}
	for o, x := range plan.At {
		if ago := at.StartS - x.EndS; o != i && p.Tasks[o].Mix.ID == t.Mix.ID && x.Resource == at.Resource && ago >= 0 && ago <= t.Mix.LastsS {
			return t.Mix.SavesS
		}
	}
	return 0
}

// crowded finds what stays where there is no room: whenever something comes, all that is there is counted.
func crowded(p *Problem, plan Plan) (out []string) {
	for i, t := range p.Tasks {
		if t.Stay.S == 0 || t.Fixed != nil || plan.At[i].EndS == plan.At[i].StartS {
			continue
		}
		there, from := 0, plan.At[i].EndS
		for k, o := range p.Tasks {
			if end := plan.At[k].EndS; o.Stay.S > 0 && o.Stay.Resource == t.Stay.Resource && end > plan.At[k].StartS && end <= from && from < end+o.Stay.S {
				there += o.Stay.Places
			}
		}
		if r := p.Resources[t.Stay.Resource]; there > p.places(t.Stay.Resource) {
			out = append(out, fmt.Sprintf("%s: %d places are taken of the %d of %s", p.named(i), there, r.Places, r.Name))
		}
	}
	return out
}

// dusted finds what raises dust while a coat is wet: each pair is looked at.
func dusted(p *Problem, plan Plan) (out []string) {
	for i, t := range p.Tasks {
		for k, o := range p.Tasks {
			a, b := plan.At[i], plan.At[k]
			if t.Air == Wet && o.Air == Dusty && (t.Fixed == nil || o.Fixed == nil) && a.EndS > a.StartS && b.EndS > b.StartS &&
				a.StartS < b.EndS+o.DustS && b.StartS < a.EndS+t.DustS {
				out = append(out, fmt.Sprintf("%s: raises dust while %s is wet", p.named(k), p.named(i)))
			}
		}
	}
	return out
}

// tiredOut finds who bears more in a day of what tires than they can.
func tiredOut(p *Problem, plan Plan) (out []string) {
	type day struct {
		resource int
		day      int64
	}
	borne := map[day]int64{}
	for i, t := range p.Tasks {
		at := plan.At[i]
		k := day{at.Resource, (at.StartS + p.DayFromS) / (24 * 3600)}
		if !t.Tires || p.Resources[at.Resource].TiresS == 0 {
			continue
		}
		if borne[k] += at.EndS - at.StartS; borne[k] > p.Resources[at.Resource].TiresS {
			out = append(out, fmt.Sprintf("%s: %s has had enough of that by day %d", p.named(i), p.Resources[at.Resource].Name, k.day))
		}
	}
	return out
}
