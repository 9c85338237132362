package quote

import (
	"sakuji/core/finish"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// Grounds of a base: what is done on it beside cutting and colouring it.
const (
	Plain    = ""
	Textured = "texture"
	Flocked  = "flock"
	Poured   = "pour"
)

// Pieces is how many things an extra makes for so many copies: a base, soft goods and what is
// restored are one each where they are asked for each copy, all else is one lot. 0 where it
// leaves neither hands nor goods to follow: a fee, freight.
func (e Extra) Pieces(copies int) int {
	switch e.Kind {
	case Restore, Base, SoftGoods:
		if e.PerCopy {
			return copies
		}
		return 1
	case Sculpt, Trial, BoughtIn, FileReady:
		return 1
	}
	if e.Hours > 0 {
		return 1
	}
	return 0
}

// part is a stage that an extra passes: what share of its hours it takes, and the figure of the
// wait after it.
type part struct {
	kind  route.StageKind
	share float64
	wait  rates.Key
}

// passes are the stages of an extra, and how its hours are shared out among them. Source of the
// order: common practice; of the shares: from memory.
func (e Extra) passes() []part {
	switch e.Kind {
	case Trial:
		return []part{{route.Try, 0.8, "clear.wait"}, {route.Judge, 0.2, ""}}
	case Restore:
		list := []part{{route.Soak, 0.2, "soak.wait"}, {route.Assess, 0.1, ""}}
		if e.StopAt > 0 {
			list = append(list, part{route.Ask, 0, ""})
		}
		return append(list, part{route.Mend, 0.35, "fill.wait"}, part{route.Prime, 0.05, "prime.wait"}, part{route.Base, 0.3, "base.wait"}, part{route.Look, 0, ""}, part{route.Pack, 0, ""})
	case Base:
		return append([]part{{route.Ground, 0.25, ""}}, e.ground()...)
	case SoftGoods:
		return []part{{route.Pattern, 0.2, ""}, {route.CutOut, 0.2, ""}, {route.Sew, 0.4, "seam.wait"}, {e.puts(), 0.2, ""}}
	case FileReady:
		return []part{{route.Ready, 1, ""}}
	case BoughtIn:
		return []part{{route.Order, 0, ""}, {route.Here, 0, ""}, {e.puts(), 1, ""}}
	case Sculpt:
		list := []part{{route.Sculpt, 1, ""}, {route.ClientYes, 0, ""}}
		for range e.Revisions {
			list = append(list, part{route.Revise, 0, ""}, part{route.ClientYes, 0, ""})
		}
		return list
	}
	return []part{{route.Work, 1, ""}}
}

func (e Extra) ground() []part {
	switch e.Ground {
	case Textured:
		return []part{{route.Texture, 0.3, "texture.wait"}, {route.Prime, 0.1, "prime.wait"}, {route.Base, 0.35, "base.wait"}}
	case Flocked:
		return []part{{route.Texture, 0.2, "texture.wait"}, {route.Base, 0.2, "base.wait"}, {route.Flock, 0.35, "texture.wait"}}
	case Poured:
		return []part{{route.Texture, 0.2, "texture.wait"}, {route.Base, 0.2, "base.wait"}, {route.Seal, 0.1, ""}, {route.Water, 0.25, "cast.wait"}}
	}
	return []part{{route.Prime, 0.25, "prime.wait"}, {route.Base, 0.5, "base.wait"}}
}

// puts is the stage at which goods are put into their piece.
func (e Extra) puts() route.StageKind {
	if e.Inside {
		return route.Insert
	}
	return route.Fit
}

// Work is the work of one of the things that an extra makes for so many copies, stage by stage;
// logged is what stamps of such stages say.
func (e Extra) Work(b rates.Book, copies int, logged map[route.StageKind]finish.Logged) (work []finish.Work) {
	n := float64(max(1, e.Pieces(copies)))
	likely := e.LikelyHours(b, float64(copies)) * 60 / n
	revision := b.V("revision.hours") * 60
	worse := 0.0 // what may turn out worse is mended
	switch e.Kind {
	case Sculpt:
		likely -= revision * float64(e.Revisions)
	case Restore:
		worse = e.Odds * e.WorseHours * 60
		likely -= worse
	}
	for _, p := range e.passes() {
		minutes := likely * p.share
		switch p.kind {
		case route.Revise:
			minutes = revision
		case route.Mend:
			minutes += worse
		}
		effort := finish.EffortOf(b, p.kind, logged[p.kind])
		work = append(work, finish.Work{Kind: p.kind, BookMin: minutes, Minutes: minutes * effort.Mean, WaitS: finish.WaitS(b, finish.Step{Kind: p.kind, Wait: p.wait}), Effort: effort})
	}
	return work
}
