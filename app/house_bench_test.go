package app_test

import (
	"fmt"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/pieces"
	"sakuji/studio"
)

// BenchmarkHouse times the bench of a studio with 60,000 pieces behind it and a million lines in its logbook: a stamp
// on disk, the list, a piece, and finding. Fifty tablets stamp five times a second between them. Told are medians, and
// the 99th of a hundred for the tablets.
func BenchmarkHouse(b *testing.B) {
	s, no := apptest.House(b)
	stamp := func(k int) {
		s.Clock.Pass(time.Minute)
		for i := range 40 { // the first that is ready
			code := fmt.Sprintf("%s-%d", no, (k+i)%40+1)
			if _, err := s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 3}); err == nil {
				return
			}
		}
		s.Clock.Pass(24 * time.Hour)
	}
	n := 0
	for _, part := range []struct {
		name string
		do   func()
	}{
		{"stamp", func() { n++; stamp(n) }},
		{"list", func() {
			_, err := s.Pieces.Bench(s.Ctx, pieces.BenchReady, "")
			require.NoError(b, err)
		}},
		{"stamp-and-list", func() {
			n++
			stamp(n)
			_, err := s.Pieces.Bench(s.Ctx, pieces.BenchReady, "")
			require.NoError(b, err)
		}},
		{"stamp-and-piece", func() {
			n++
			stamp(n)
			_, err := s.Pieces.Piece(s.Ctx, no+"-2")
			require.NoError(b, err)
		}},
		{"stamp-and-find-piece", func() {
			n++
			stamp(n)
			_, err := s.Today.Find(s.Ctx, "901234-7")
			require.NoError(b, err)
		}},
		{"stamp-and-find-word", func() {
			n++
			stamp(n)
			_, err := s.Today.Find(s.Ctx, "collar")
			require.NoError(b, err)
		}},
	} {
		b.Run(part.name, func(b *testing.B) {
			var ms []float64
			for b.Loop() {
				start := time.Now()
				part.do()
				ms = append(ms, float64(time.Since(start).Microseconds())/1000)
			}
			slices.Sort(ms)
			b.ReportMetric(ms[len(ms)/2], "median-ms")
			b.ReportMetric(ms[len(ms)*99/100], "p99-ms")
			b.ReportMetric(0, "ns/op")
		})
	}
	b.Run("tablets", func(b *testing.B) { // fifty of them; whoever stamps, all draw the bench again
		const tablets, aSecond, forS = 50, 5, 8
		var took []float64
		var mu sync.Mutex
		var all sync.WaitGroup
		for k := range tablets {
			all.Go(func() {
				time.Sleep(time.Duration(k) * time.Second / aSecond % (forS * time.Second))
				start := time.Now()
				_, err := s.Pieces.Stamp(s.Ctx, s.Bench, fmt.Sprintf("%s-%d", no, k%40+1), studio.Stamp{Minutes: 3, Early: true, Note: "hard to the nail"})
				mu.Lock()
				if took = append(took, float64(time.Since(start).Microseconds())/1000); err != nil {
					b.Log(err)
				}
				mu.Unlock()
				for range tablets {
					all.Go(func() {
						_, err := s.Pieces.Bench(s.Ctx, pieces.BenchReady, "")
						assert.NoError(b, err)
					})
				}
			})
		}
		all.Wait()
		slices.Sort(took)
		b.ReportMetric(took[len(took)/2], "median-ms")
		b.ReportMetric(took[len(took)*99/100], "p99-ms")
		b.ReportMetric(0, "ns/op")
	})
}
