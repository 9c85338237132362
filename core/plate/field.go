package plate

import (
	"math"
)

// field is what of a bed is taken: of every band the stretches that no part may touch, in order.
// Places are inside the margin.
type field struct {
	rows [][]span
	from map[*bands]int // bands in front of this have no room for it: what is taken only grows
}

func (l *layer) emptyField() *field {
	f := &field{rows: make([][]span, l.count), from: map[*bands]int{}}
	for _, k := range keptFree(l.bed) {
		f.takeAt(l, k)
	}
	return f
}

// lay lays a part at one of these angles, and takes its place.
func (f *field) lay(l *layer, p Part, degs []float64) (at Placed, ok bool) {
	b, x, band := f.find(l, p, degs)
	if b == nil {
		return Placed{}, false
	}
	f.take(l, b, x, band)
	return l.placed(p, b, x, band), true
}

// placed is where a part lies on the bed.
func (l *layer) placed(p Part, b *bands, x float64, band int) Placed {
	m := l.bed.MarginMM + b.skirt
	return Placed{p.ID, x + m, float64(band)*l.grainMM + m, b.deg}
}

// find finds the place that reaches least far from the front, then from the left; nil for none.
func (f *field) find(l *layer, p Part, degs []float64) (chosen *bands, x float64, band int) {
	top := 0.0
	for _, deg := range degs {
		b := l.cut(p, deg)
		limit := l.count
		if chosen != nil {
			limit = int((top - b.h) / l.grainMM)
		}
		y, left, found := f.lowest(l, b, limit)
		if reach := float64(y)*l.grainMM + b.h; found && (chosen == nil || reach < top-tiny || reach < top+tiny && left+b.w < x+chosen.w-tiny) {
			chosen, band, x, top = b, y, left, reach
		}
	}
	return chosen, x, band
}

// lowest finds the first band, up to a limit, in which a part has room, and its least x there.
func (f *field) lowest(l *layer, b *bands, limit int) (band int, x float64, ok bool) {
	last := min(limit, l.count-len(b.rows))
	if b.w > l.w+tiny || b.h > l.d+tiny {
		return 0, 0, false
	}
	for y := f.from[b]; y <= last; y++ {
		if x, ok = f.leftmost(l, b, y); ok {
			f.from[b] = y
			return y, x, true
		}
	}
	f.from[b] = max(f.from[b], last+1)
	return 0, 0, false
}

// leftmost finds the least x at which a part has room in a band: it is pushed right by whatever
// it touches until nothing does.
func (f *field) leftmost(l *layer, b *bands, band int) (x float64, ok bool) {
	n := len(b.rows)
	for clear, row := 0, 0; clear < n; {
		if push := pushed(f.rows[band+row], b.rows[row], x); push > x { // what was behind the first may lie in the way too
			if x, clear = push, 0; x+b.w > l.w+tiny {
				return 0, false
			}
			continue
		}
		clear++
		if row += b.stride; row >= n {
			row -= n
		}
	}
	return x, true
}

// pushed is how far right a row must go so that it does not touch the first of what is taken; x
// where it touches nothing.
func pushed(taken, row []span, x float64) float64 {
	k := 0
	for _, s := range row {
		from, to := s.from+x, s.to+x
		for k < len(taken) && taken[k].to <= from+tiny {
			k++
		}
		if k < len(taken) && taken[k].from < to-tiny {
			return max(x+tiny, taken[k].to-s.from)
		}
	}
	return x
}

// take marks what lies nearer to a part than the spacing.
func (f *field) take(l *layer, b *bands, x float64, band int) {
	near, reach := b.keptOff(l)
	for k, row := range near {
		if y := band - reach + k; y >= 0 && y < len(f.rows) {
			f.rows[y] = joined(f.rows[y], row, x)
		}
	}
}

// takeAt marks a part that lies there already, wherever that is: between two bands it takes both.
func (f *field) takeAt(l *layer, t Laid) {
	x, y := t.XMM-l.bed.MarginMM-t.SkirtMM, t.YMM-l.bed.MarginMM-t.SkirtMM
	b := l.cut(t.Part, t.AngleDeg)
	low := math.Floor(y/l.grainMM + 1e-7)
	f.take(l, b, x, int(low))
	if y-low*l.grainMM > 1e-7 {
		f.take(l, b, x, int(low)+1)
	}
}

// joined is what is taken with a row of spans that is moved by x, in order and without overlaps.
func joined(taken, row []span, x float64) []span {
	out := make([]span, 0, len(taken)+len(row))
	add := func(s span) {
		if n := len(out); n > 0 && s.from <= out[n-1].to+tiny {
			out[n-1].to = max(out[n-1].to, s.to)
			return
		}
		out = append(out, s)
	}
	i := 0
	for _, s := range row {
		s = span{s.from + x, s.to + x}
		for ; i < len(taken) && taken[i].from <= s.from; i++ {
			add(taken[i])
		}
		add(s)
	}
	for _, s := range taken[i:] {
		add(s)
	}
	return out
}
