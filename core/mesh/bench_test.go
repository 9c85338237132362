package mesh

import (
	"os"
	"path/filepath"
	"testing"
)

// million writes a torus of 1,000,000 triangles as a binary STL.
func million(b *testing.B) string {
	b.Helper()
	name := filepath.Join(b.TempDir(), "million.stl")
	if err := os.WriteFile(name, WriteSTL(torus(40, 15, 1000, 500)), 0o600); err != nil {
		b.Fatal(err)
	}
	return name
}

func read(b *testing.B, name string) []byte {
	data, err := os.ReadFile(name)
	if err != nil {
		b.Fatal(err)
	}
	return data
}

// BenchmarkReadingSTL prints how many times as long as os.ReadFile of the same
// bytes it takes to read and measure, and to diagnose, a million triangles. The
// three are taken in turn so that the machine's moods hit all alike.
func BenchmarkReadingSTL(b *testing.B) {
	name := million(b)
	work := map[string]func() int{
		"file": func() int { return len(read(b, name)) },
		"bulk": func() int {
			s, err := ReadSTL(read(b, name), Limits{})
			if err != nil {
				b.Fatal(err)
			}
			return int(s.Bulk().VolumeMM3)
		},
		"full": func() int {
			s, err := ReadSTL(read(b, name), Limits{})
			if err != nil {
				b.Fatal(err)
			}
			return int(Measure(s).VolumeMM3)
		},
	}
	var spent ratios
	for b.Loop() {
		for what, do := range work {
			spent.time(what, do)
		}
	}
	b.ReportMetric(spent.median("bulk")/spent.median("file"), "measure/ReadFile")
	b.ReportMetric(spent.median("full")/spent.median("file"), "diagnosis/ReadFile")
	b.ReportMetric(spent.median("full")*1000, "diagnosis-ms")
}
