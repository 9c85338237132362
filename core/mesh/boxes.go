package mesh

import "math"

// boxTree finds boxes by where they lie: a hierarchy as Tree has it.
type boxTree struct {
	nodes []treeNode
	order []int32
}

// newBoxTree builds it over the boxes 0 to n−1.
func newBoxTree(n int, box func(i int) Box) *boxTree {
	t := &boxTree{order: make([]int32, n)}
	boxes := make([]treeBox, n)
	for i := range boxes {
		b := box(i)
		boxes[i], t.order[i] = emptyTreeBox, int32(i)
		boxes[i].add(b.Min)
		boxes[i].add(b.Max)
	}
	if n > 0 {
		t.nodes = buildTree(boxes, t.order, 0, 0)
	}
	return t
}

// each goes through the boxes of which meets could be true: of all that contain or are
// such a box it is asked first.
func (t *boxTree) each(meets func(lo, hi *[3]float32) bool, do func(i int32)) {
	if len(t.nodes) == 0 {
		return
	}
	stack := make([]int32, 1, 96)
	for len(stack) > 0 {
		at := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		n := &t.nodes[at]
		if !meets(&n.lo, &n.hi) {
			continue
		}
		if n.count == 0 {
			stack = append(stack, n.first, at+1)
			continue
		}
		for _, i := range t.order[n.first : n.first+n.count] {
			do(i)
		}
	}
}

// over is for boxes that hold a point.
func over(p Vec) func(lo, hi *[3]float32) bool {
	at := [3]float64{p.X, p.Y, p.Z}
	return func(lo, hi *[3]float32) bool {
		for k := range 3 {
			if at[k] < float64(lo[k]) || at[k] > float64(hi[k]) {
				return false
			}
		}
		return true
	}
}

// nearLine is for boxes that a straight line from a to b passes within reach, and some more.
func nearLine(a, b Vec, reach float64) func(lo, hi *[3]float32) bool {
	from, along := [3]float64{a.X, a.Y, a.Z}, [3]float64{b.X - a.X, b.Y - a.Y, b.Z - a.Z}
	return func(lo, hi *[3]float32) bool {
		enter, leave := 0., 1.
		for k := range 3 {
			low, high := float64(lo[k])-reach-from[k], float64(hi[k])+reach-from[k]
			if along[k] == 0 {
				if low > 0 || high < 0 {
					return false
				}
				continue
			}
			s, t := low/along[k], high/along[k]
			enter, leave = math.Max(enter, math.Min(s, t)), math.Min(leave, math.Max(s, t))
		}
		return enter <= leave
	}
}
