package quote

import (
	"math"
	"runtime"
	"slices"
	"sync"

	"gonum.org/v1/gonum/mathext"

	"sakuji/core/finish"
	"sakuji/core/rates"
)

// risk is an amount of an item that may turn out otherwise than expected. Amounts are in
// currency units with overhead.
type risk struct {
	kind   string // of work: what the book is off by is common to all of a kind
	what   string
	piece  int     // risks of one piece go wrong together
	amount float64 // expected
	shape  *shape  // of the ratio to it; nil for what happens or does not
	common float64 // share of its variance that is common
	runs   int     // failing: independent runs, each of which
	each   float64 // costs this when it fails,
	tries  float64 // and is expected to fail so often before it succeeds
	odds   float64 // restoring: the odds that each is added
}

// shape is a distribution of a ratio with mean 1, as its quantiles at evenly spaced
// standard normal scores: drawing from it is looking up a normal draw.
type shape [2*shapeReach*shapeSteps + 1]float64

const (
	shapeReach = 5  // standard deviations either way
	shapeSteps = 16 // to one
)

var (
	shapesLock sync.Mutex
	shapes     = map[[4]float64]*shape{}
)

// shapeOf returns the shape of an effort: between best and worst a beta distribution of
// the effort's mean and deviation, as PERT has it; where the logbook speaks, a log-normal
// of them, for stages never take less than nothing and now and then very long.
func shapeOf(e finish.Effort) *shape {
	key := [4]float64{e.Low, e.High, e.Mean, e.Deviation}
	shapesLock.Lock()
	defer shapesLock.Unlock()
	if s, ok := shapes[key]; ok {
		return s
	}
	s := new(shape)
	width := e.High - e.Low
	var quantile func(z float64) float64
	if width > 0 {
		x, v := (e.Mean-e.Low)/width, e.Deviation*e.Deviation/width/width
		k := x*(1-x)/v - 1
		a, b := x*k, (1-x)*k
		quantile = func(z float64) float64 {
			p := min(1-1e-9, max(1e-9, 0.5*math.Erfc(-z/math.Sqrt2)))
			return (e.Low + width*mathext.InvRegIncBeta(a, b, p)) / e.Mean
		}
	} else {
		sigma2 := math.Log1p(e.Deviation * e.Deviation / (e.Mean * e.Mean))
		quantile = func(z float64) float64 { return math.Exp(math.Sqrt(sigma2)*z - sigma2/2) }
	}
	for i := range s {
		s[i] = quantile(float64(i)/shapeSteps - shapeReach)
	}
	if len(shapes) > 4096 { // somebody is trying all spreads there are
		clear(shapes)
	}
	shapes[key] = s
	return s
}

// at is the ratio at a standard normal score.
func (s *shape) at(z float64) float64 {
	f := (z + shapeReach) * shapeSteps
	i := int(f)
	if f <= 0 {
		return s[0]
	}
	if i >= len(s)-1 {
		return s[len(s)-1]
	}
	return s[i] + (f-float64(i))*(s[i+1]-s[i])
}

// Turned is what work comes to, of what is expected of it, at a standard normal score.
func Turned(e finish.Effort, score float64) float64 { return shapeOf(e).at(score) }

// Draws is how many times an order is lived through.
const Draws = 10_000

// Range is what an order may cost.
type Range struct {
	ExpectedMinor   int64    `json:"expected_minor"`     // to which the lines add up
	EightInTenMinor int64    `json:"eight_in_ten_minor"` // it stays under this 8 times in 10
	Quantiles       []int64  `json:"quantiles"`          // 0 to 100 in 100, in minor units
	Drivers         []Driver `json:"drivers"`            // what moves it, most first
	Draws           int      `json:"draws"`
	sorted          []float64
}

// Driver is a share of an order's uncertainty.
type Driver struct {
	Item  int     `json:"item"`
	What  string  `json:"what"`
	Share float64 `json:"share"` // of the variance
}

// chunk is how many draws share a seed: the same whatever the number of processors.
const chunk = 500

// Die is a source of chance; *rand.Rand is one.
type Die interface {
	NormFloat64() float64
	Float64() float64
}

// Dice makes independent dice of a stream's number; equal numbers give equal dice.
type Dice func(stream uint64) Die

// Simulate lives through an order of these items again and again. What the book is off by
// for a kind of work is the same for all of it, and half of that the same for all kinds: one
// person, one studio. Beside that the stages of one part lean the same way by the book's
// spread.together (a normal copula).
// Equal items and dice give an equal range.
func Simulate(b rates.Book, items []Item, dice Dice, draws int, digits int32) Range {
	unit := math.Pow10(int(digits))
	risks, owner, expected, certain := gathered(items, unit)
	out := Range{ExpectedMinor: expected, Draws: draws, sorted: make([]float64, draws)}
	together := min(1, max(0, b.V("spread.together")))
	kinds, many := numbered(risks)
	chunks := (draws + chunk - 1) / chunk
	with := make([][]float64, chunks) // of each risk: the sum of its amount times the total
	sums := make([][]float64, chunks)
	var wait sync.WaitGroup
	next := make(chan int, chunks)
	for c := range chunks {
		next <- c
	}
	close(next)
	for range min(chunks, runtime.GOMAXPROCS(0)) {
		wait.Go(func() {
			life := life{risks: risks, drawn: make([]float64, len(risks)), kinds: kinds, off: make([]float64, many), together: together}
			drawn := life.drawn
			for c := range next {
				with[c], sums[c] = make([]float64, len(risks)), make([]float64, len(risks))
				r := dice(uint64(c))
				for k := c * chunk; k < min(draws, (c+1)*chunk); k++ {
					total := life.draw(r)
					for i, x := range drawn {
						d := x - risks[i].amount
						sums[c][i] += d
						with[c][i] += d * total
					}
					out.sorted[k] = certain + total
				}
			}
		})
	}
	wait.Wait()
	var mean float64
	for _, x := range out.sorted {
		mean += (x - certain) / float64(draws)
	}
	slices.Sort(out.sorted)
	out.rank(risks, owner, with, sums, mean)
	for q := 0; q <= 100; q++ {
		out.Quantiles = append(out.Quantiles, Minor(quantile(out.sorted, float64(q)/100), digits))
	}
	out.EightInTenMinor = out.Quantiles[80]
	for i := range out.sorted {
		out.sorted[i] *= unit
	}
	return out
}

// gathered are the risks of all items, with the item of each, what all is expected to cost in
// minor units, and what of it is certain.
func gathered(items []Item, unit float64) (risks []risk, owner []int, expected int64, certain float64) {
	for i, it := range items {
		expected += it.CostMinor
		certain += float64(it.CostMinor) / unit
		for _, r := range it.risks {
			risks, owner = append(risks, r), append(owner, i)
			certain -= r.amount
		}
	}
	return risks, owner, expected, certain
}

// numbered gives each kind of work of the risks a number.
func numbered(risks []risk) (out []int, kinds int) {
	out = make([]int, len(risks))
	known := map[string]int{}
	for i, k := range risks {
		n, ok := known[k.kind]
		if !ok {
			n = len(known)
			known[k.kind] = n
		}
		out[i] = n
	}
	return out, len(known)
}

// life is an order being lived through.
type life struct {
	risks    []risk
	kinds    []int     // of each risk
	off      []float64 // by how much the book is off, in standard scores, for each kind
	drawn    []float64 // what each risk came to
	together float64
}

// draw lives through the risks once and returns their sum.
func (l *life) draw(r Die) (total float64) {
	shared, own := math.Sqrt(l.together), math.Sqrt(1-l.together)
	house := r.NormFloat64()
	for k := range l.off {
		l.off[k] = math.Sqrt(0.5) * (house + r.NormFloat64())
	}
	piece, part := -1, 0.0
	for i := range l.risks {
		k := &l.risks[i]
		if k.piece != piece {
			piece, part = k.piece, r.NormFloat64()
		}
		var x float64
		switch {
		case k.shape != nil:
			x = k.amount * k.shape.at(math.Sqrt(k.common)*l.off[l.kinds[i]]+math.Sqrt(1-k.common)*(shared*part+own*r.NormFloat64()))
		case k.runs > 0:
			x = k.each * failures(r, k.runs, k.tries)
		case r.Float64() < k.odds:
			x = k.each
		}
		l.drawn[i] = x
		total += x
	}
	return total
}

// failures is how often runs fail in all before each has succeeded: geometric for each,
// with the expected number given. Of many runs they are Poisson counts of a rate that is itself
// gamma-distributed [published: Greenwood and Yule, An Inquiry into the Nature of Frequency
// Distributions, 1920].
func failures(r Die, runs int, expected float64) float64 {
	if runs > 24 {
		return poisson(r, expected*gamma(r, float64(runs)))
	}
	var sum float64
	logFail := math.Log(expected / (1 + expected))
	for range runs {
		sum += math.Floor(math.Log(1-r.Float64()) / logFail)
	}
	return sum
}

// gamma is a draw of shape over a score and scale 1 [published: Wilson and Hilferty, The
// Distribution of Chi-Square, 1931: its cube root is as good as normal].
func gamma(r Die, shape float64) float64 {
	root := 1 - 1/(9*shape) + r.NormFloat64()/(3*math.Sqrt(shape))
	return shape * root * root * root
}

// poisson is a count of this mean; a large one is as good as normal [published: Knuth, The Art
// of Computer Programming 2, 3.4.1].
func poisson(r Die, mean float64) (n float64) {
	if mean > 50 {
		return max(0, math.Round(mean+r.NormFloat64()*math.Sqrt(mean)))
	}
	for p, least := r.Float64(), math.Exp(-mean); p > least; p *= r.Float64() {
		n++
	}
	return n
}

// rank finds what share of the total's variance each kind of work of each item has.
func (out *Range) rank(risks []risk, owner []int, with, sums [][]float64, mean float64) {
	n := float64(out.Draws)
	at := map[[2]any]int{}
	var all float64
	for i, k := range risks {
		var w, s float64
		for c := range with {
			w += with[c][i]
			s += sums[c][i]
		}
		cov := w/n - s/n*mean
		key := [2]any{owner[i], k.what}
		if _, ok := at[key]; !ok {
			at[key] = len(out.Drivers)
			out.Drivers = append(out.Drivers, Driver{Item: owner[i], What: k.what})
		}
		out.Drivers[at[key]].Share += cov
		all += cov
	}
	for i := range out.Drivers {
		if all > 0 {
			out.Drivers[i].Share /= all
		}
	}
	slices.SortStableFunc(out.Drivers, func(a, b Driver) int {
		switch {
		case a.Share > b.Share:
			return -1
		case a.Share < b.Share:
			return 1
		}
		return 0
	})
}

// quantile is the value that a share of sorted draws stays under, between two draws in
// proportion.
func quantile(sorted []float64, share float64) float64 {
	if len(sorted) == 0 {
		return 0
	}
	f := share * float64(len(sorted)-1)
	i := min(len(sorted)-1, int(f))
	k := min(len(sorted)-1, i+1)
	return sorted[i] + (f-float64(i))*(sorted[k]-sorted[i])
}

// Fine are n + 1 quantiles, from the least cost lived through to the most, in minor units.
func (r Range) Fine(n int) []int64 {
	out := make([]int64, n+1)
	for i := range out {
		out[i] = int64(math.Round(quantile(r.sorted, float64(i)/float64(n))))
	}
	return out
}

// LossChance is how often the order costs more than a net price.
func (r Range) LossChance(netMinor int64) float64 {
	if len(r.sorted) == 0 {
		return 0
	}
	at, _ := slices.BinarySearchFunc(r.sorted, float64(netMinor), func(x, net float64) int {
		if x > net {
			return 1
		}
		return -1
	})
	return float64(len(r.sorted)-at) / float64(len(r.sorted))
}
