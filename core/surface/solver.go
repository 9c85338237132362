package surface

import (
	"slices"

	"gonum.org/v1/gonum/mat"
)

// solver finds the places of corners at which the pulls of those beside each, by their weights, add up to what is
// given; those that are held stay. It is made once, and asked often.
type solver struct {
	beside [][]link
	held   []bool
	row    []int32 // of each corner; −1: it is held
	corner []int32 // of each row
	factor mat.BandCholesky
}

// newSolver numbers the corners so that those beside each other have numbers that are near [published: Cuthill and McKee,
// Reducing the bandwidth of sparse symmetric matrices, 1969], and takes the band apart.
func newSolver(beside [][]link, held []bool) *solver {
	s := &solver{beside: beside, held: held, row: make([]int32, len(beside))}
	for v := range s.row {
		s.row[v] = -1
	}
	var order []int32
	for v := range beside {
		if !held[v] && len(beside[v]) > 0 && s.row[v] < 0 {
			order = s.number(order, s.far(int32(v)))
		}
	}
	s.corner = order
	if len(order) == 0 {
		return s
	}
	wide := 0
	for v := range beside {
		for _, l := range beside[v] {
			if s.row[v] >= 0 && s.row[l.to] > s.row[v] {
				wide = max(wide, int(s.row[l.to]-s.row[v]))
			}
		}
	}
	band := mat.NewSymBandDense(len(order), wide, nil)
	for v := range beside {
		if s.row[v] < 0 {
			continue
		}
		sum := 0.0
		for _, l := range beside[v] {
			sum += l.weight
			if s.row[l.to] > s.row[v] {
				band.SetSymBand(int(s.row[v]), int(s.row[l.to]), -l.weight)
			}
		}
		band.SetSymBand(int(s.row[v]), int(s.row[v]), sum)
	}
	s.factor.Factorize(band)
	return s
}

// far is a corner at the end of what hangs together with one.
func (s *solver) far(from int32) int32 {
	for range 2 {
		seen := map[int32]bool{from: true}
		list := []int32{from}
		for i := 0; i < len(list); i++ {
			for _, l := range s.beside[list[i]] {
				if !s.held[l.to] && !seen[l.to] {
					seen[l.to] = true
					list = append(list, l.to)
				}
			}
		}
		from = list[len(list)-1]
	}
	return from
}

// number goes on with the numbers from a corner: those beside it next, the ones with fewest neighbours first.
func (s *solver) number(order []int32, from int32) []int32 {
	s.row[from] = int32(len(order))
	order = append(order, from)
	for i := len(order) - 1; i < len(order); i++ {
		var next []int32
		for _, l := range s.beside[order[i]] {
			if !s.held[l.to] && s.row[l.to] < 0 {
				s.row[l.to] = 0
				next = append(next, l.to)
			}
		}
		slices.SortStableFunc(next, func(a, b int32) int { return len(s.beside[a]) - len(s.beside[b]) })
		for _, v := range next {
			s.row[v] = int32(len(order))
			order = append(order, v)
		}
	}
	return order
}

// solve puts the corners where the pulls add up.
func (s *solver) solve(uv, pull []Point) {
	if len(s.corner) == 0 {
		return
	}
	given := mat.NewDense(len(s.corner), 2, nil)
	for row, v := range s.corner {
		x, y := pull[v].X, pull[v].Y
		for _, l := range s.beside[v] {
			if s.held[l.to] {
				x, y = x+l.weight*uv[l.to].X, y+l.weight*uv[l.to].Y
			}
		}
		given.Set(row, 0, x)
		given.Set(row, 1, y)
	}
	var at mat.Dense
	if err := s.factor.SolveTo(&at, given); err != nil {
		return // nearly singular: they stay where they are
	}
	for row, v := range s.corner {
		uv[v] = Point{at.At(row, 0), at.At(row, 1)}
	}
}
