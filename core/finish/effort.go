package finish

import (
	"math"

	"sakuji/core/rates"
	"sakuji/core/route"
)

// Effort says how an amount of work may turn out against what is most likely: the mean of
// the ratio, its deviation, and between what it lies. All are ratios.
type Effort struct {
	Low, High float64 // at best and at worst; 0 and 0 when the logbook speaks louder
	Mean      float64
	Deviation float64 // from piece to piece
	Common    float64 // by which all pieces are off alike: the book may be wrong for this studio
	Inputs    []rates.Figure
}

// PERT is the mean and deviation of a task estimated at best, most likely and at worst:
// (a + 4m + b)/6 and (b − a)/6 [published: Malcolm, Roseboom, Clark and Fazar, Application
// of a Technique for Research and Development Program Evaluation, Operations Research 7,
// 1959].
func PERT(best, likely, worst float64) (mean, deviation float64) {
	return (best + 4*likely + worst) / 6, (worst - best) / 6
}

// SpreadOf is the book's spread of a kind of work.
func SpreadOf(b rates.Book, key string) Effort {
	low, high := b.Get(rates.K("spread", key, "low")), b.Get(rates.K("spread", key, "high"))
	mean, dev := PERT(low.Value, 1, high.Value)
	common := rates.Key("spread.common")
	if key == "material" || key == "machine" { // worked out from the mesh
		common = "spread.model"
	}
	return Effort{Low: low.Value, High: high.Value, Mean: mean, Deviation: dev, Common: mean * b.V(common), Inputs: []rates.Figure{low, high, rates.Of("expected of likely", mean, "×", rates.Derived)}}
}

// EffortOf draws what the logbook says of a kind of stage toward the book, which counts as
// much as spread.trust stamps: a few stamps prove little. The deviation is pooled alike; what
// the book may be off by for all pieces narrows with the root of the stamps.
func EffortOf(b rates.Book, kind route.StageKind, l Logged) Effort {
	e := SpreadOf(b, kind.Traits().Spread)
	if l.Count == 0 {
		return e
	}
	n, trust := float64(l.Count), b.V("spread.trust")
	mean := (n*l.Mean + trust*e.Mean) / (n + trust)
	apart := n * trust / (n + trust) * (l.Mean - e.Mean) * (l.Mean - e.Mean) // between the two means
	variance := (n*l.Var + trust*e.Deviation*e.Deviation + apart/(n+trust)) / (n + trust)
	return Effort{Mean: mean, Deviation: math.Sqrt(variance), Common: mean * b.V("spread.common") * math.Sqrt(trust/(n+trust)), Inputs: []rates.Figure{
		rates.Of("logged stages", n, "×", rates.Logged), rates.Of("they took of the book’s time", l.Mean, "×", rates.Logged),
		rates.Of("the book expects", e.Mean, "×", e.Inputs[0].Source), b.Get("spread.trust"), rates.Of("expected of likely", mean, "×", rates.Derived)}}
}
