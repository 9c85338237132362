package studio

import (
	"slices"
	"strconv"

	"sakuji/core/finish"
	"sakuji/core/process"
	"sakuji/core/route"
)

// usualGapMM is the gap that a filler is chosen for where nobody says how wide it is. Source: from memory.
const usualGapMM = 0.3

// Advise is what to take for a piece now: grit, filler, adhesive, primer and clear coat, that of its next stage first. A gap
// of 0 is a usual one.
func (h Shop) Advise(p Piece, it Item, gapMM float64) []finish.Advice {
	if gapMM <= 0 {
		gapMM = usualGapMM
	}
	kind := process.Of(p.Process)
	length := it.SeamMM
	if length == 0 && len(it.Parts) > 0 {
		length = outline(it.Parts[0].Model, it.Scale) * SeamOfWidth
	}
	_, _, joint := it.joints(length)
	weather := slices.ContainsFunc(p.Stages, func(s Stage) bool { return s.Kind == route.Weather })
	out := []finish.Advice{
		finish.AdviseGrit(p.sanding(kind.FirstPaper)),
		finish.AdviseFiller(h.Book, gapMM, kind.Bond, true),
		finish.AdviseAdhesive(h.Book, joint, it.Adhesive),
		finish.AdvisePrimer(it.Scheme, h.Studio.Defaults.Schools),
		finish.AdviseClear(finish.Clearing{Scheme: it.Scheme, Worn: it.Rule.Worn(), Fine: it.Features.Fine(), Paints: it.Paints, Weather: weather}),
	}
	if now := p.Now(); now != nil {
		of := finish.AdviceAt(now.Kind)
		slices.SortStableFunc(out, func(a, b finish.Advice) int {
			switch {
			case a.Of == b.Of:
				return 0
			case a.Of == of:
				return -1
			case b.Of == of:
				return 1
			}
			return 0
		})
	}
	return out
}

// usualLast is the paper that a finish ends with where its strip does not say. Source: common practice.
const usualLast = 320

// sanding is what the next paper for a piece goes by: what was sanded and filled so far, and where its strip ends.
func (p Piece) sanding(bare int) finish.Sanding {
	s := finish.Sanding{Bare: bare, To: usualLast}
	last := 0
	for _, x := range p.Stages {
		paper, _ := strconv.Atoi(x.Paper())
		last = max(last, paper)
		if x.Mark != route.Done {
			continue
		}
		switch {
		case paper > 0:
			s.Last, s.Filled = paper, false
		case OneOf(x.Kind, route.Fill, route.Skin, route.Clay) || mediumOf(x, finish.Paints{}) == route.FillerPrimer:
			s.Filled = true
		}
	}
	if last > 0 {
		s.To = last
	}
	return s
}
