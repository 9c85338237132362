package surface

import (
	"math"
	"testing"

	"sakuji/core/mesh"
)

// BenchmarkFlatten lays out a saddle-shaped flank of 20,000 facets.
func BenchmarkFlatten(b *testing.B) {
	m := grid(100, 100, func(u, v float64) mesh.Vec {
		a := 2 * u
		r := 20 + 6*math.Cos(3*v)
		return mesh.Vec{X: r * math.Cos(a), Y: r * math.Sin(a), Z: 50 * v}
	})
	s := Of(m)
	for b.Loop() {
		got, err := s.Flatten(all(m))
		if err != nil {
			b.Fatal(err)
		}
		b.ReportMetric(got[0].StretchPercent, "stretch%")
	}
}
