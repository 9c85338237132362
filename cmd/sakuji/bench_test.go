package main

import (
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"syscall"
	"testing"
	"time"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

// BenchmarkAgainstAdmesh times the command on a million triangles beside Debian's
// admesh on the same file, in turn, so that the machine's moods hit all alike. Ratios
// are of medians; the memory is what the system says of the largest run.
func BenchmarkAgainstAdmesh(b *testing.B) {
	dir := b.TempDir()
	large := meshtest.Ring(40, 15, 1000, 500)
	million, small := filepath.Join(dir, "million.stl"), filepath.Join(dir, "small.stl")
	if err := os.WriteFile(million, mesh.WriteSTL(large), 0o600); err != nil {
		b.Fatal(err)
	}
	figure := filepath.Join(dir, "figure.stl") // 100 mm, 300,000 triangles
	if err := os.WriteFile(figure, mesh.WriteSTL(meshtest.Ring(35, 15, 600, 250)), 0o600); err != nil {
		b.Fatal(err)
	}
	middling := meshtest.Ring(40, 15, 500, 200).Weld()
	memory := map[string]int64{}
	command := func(name string, args ...string) func() {
		return func() {
			cmd := exec.Command(name, args...)
			if err := cmd.Run(); err != nil {
				b.Fatal(name, err)
			}
			if use, ok := cmd.ProcessState.SysUsage().(*syscall.Rusage); ok {
				memory[args[0]] = max(memory[args[0]], use.Maxrss)
			}
		}
	}
	work := []struct {
		name string
		do   func()
	}{
		{"admesh", command("admesh", million)},
		{"measure", command(binary, "measure", "--json", million)},
		{"reduce", command(binary, "reduce", "--json", "--triangles", "100000", "-o", small, million)},
		{"slice", command(binary, "slice", "--json", "--layer-mm", "0.015", million)}, // 2,000 layers
		{"split", command(binary, "split", "--json", "--plane", "0.3,0.2,1,1", "-o", filepath.Join(dir, "half"), million)},
		{"orient", command(binary, "orient", "--json", "--process", "resin", million)},
		{"hollow", command(binary, "hollow", "--json", "--wall-mm", "2", "--holes", "2", "-o", filepath.Join(dir, "hollow.stl"), figure)},
		{"thickness", func() { middling.Thickness() }},
		{"still", func() { mesh.ClayStill(640, 480).Draw(large) }},
	}
	spent := map[string][]float64{}
	for b.Loop() {
		for _, w := range work {
			start := time.Now()
			w.do()
			spent[w.name] = append(spent[w.name], time.Since(start).Seconds())
		}
	}
	median := func(name string) float64 {
		s := slices.Sorted(slices.Values(spent[name]))
		return s[len(s)/2]
	}
	b.ReportMetric(median("admesh")/median("measure"), "admesh/measure")
	b.ReportMetric(median("reduce")/median("admesh"), "reduce/admesh")
	b.ReportMetric(median("slice")/median("admesh"), "slice/admesh")
	b.ReportMetric(median("split")/median("admesh"), "split/admesh")
	b.ReportMetric(median("orient")/median("admesh"), "orient/admesh")
	b.ReportMetric(median("hollow"), "hollow-s")
	b.ReportMetric(float64(memory["hollow"])/1024, "hollow-MB")
	b.ReportMetric(median("thickness"), "thickness-s")
	b.ReportMetric(median("still")*1000, "still-ms")
	b.ReportMetric(float64(memory["measure"])/1024, "measure-MB")
}
