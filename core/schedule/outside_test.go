package schedule

import (
	"bufio"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const outsideCases = 48 // the second half with mixes and a line

// middling is a problem of a dozen tasks with alternatives, stations, waits, windows and air.
func middling(seed uint64) *Problem {
	r := rand.New(rand.NewPCG(seed, 77))
	p := &Problem{Resources: []Resource{{Name: "Ilse"}, {Name: "Jory"}, {Name: "booth"}}, Jobs: []Job{{Name: "x"}}}
	for i := range 12 {
		t := Task{Name: fmt.Sprint(i), WaitS: r.Int64N(4), Air: Air(r.IntN(3)), DustS: r.Int64N(3)}
		for k := range 2 {
			if r.IntN(3) > 0 || k == 1 && len(t.On) == 0 {
				t.On = append(t.On, Mode{k, 1 + r.Int64N(9)})
			}
		}
		if i > 2 {
			t.After = []int{i - 1 - r.IntN(3)}
		}
		if r.IntN(4) == 0 {
			t.WithinS = t.WaitS + r.Int64N(3) + 1
			t.AgainS = t.WithinS + 4 + r.Int64N(10)
		}
		if r.IntN(3) == 0 {
			t.With, t.KeepS = []int{2}, r.Int64N(4)
		}
		p.Tasks = append(p.Tasks, t)
	}
	if seed >= outsideCases/2 {
		hungAndMixed(r, p)
	}
	return p
}

// data is the problem as outside.mzn reads it.
func data(p *Problem) string {
	cols := map[string][]string{}
	add := func(name string, v any) { cols[name] = append(cols[name], fmt.Sprint(v)) }
	var before, after []string
	for i, t := range p.Tasks {
		on := [2]int64{-1, -1}
		for _, m := range t.On {
			on[m.Resource] = m.S
		}
		add("s0", on[0])
		add("s1", on[1])
		add("wait", t.WaitS)
		add("within", t.WithinS)
		add("again", t.AgainS)
		add("with", len(t.With) > 0)
		add("keep", t.KeepS)
		add("air", int(t.Air))
		add("dust", t.DustS)
		add("mix", t.Mix.ID)
		add("saves", t.Mix.SavesS)
		add("lasts", t.Mix.LastsS)
		add("places", t.Stay.Places)
		add("stay", t.Stay.S)
		for _, b := range t.After {
			before, after = append(before, fmt.Sprint(b+1)), append(after, fmt.Sprint(i+1))
		}
	}
	line := 0
	for _, r := range p.Resources {
		line += r.Places
	}
	out := fmt.Sprintf("line = %d; n = %d; horizon = 200; m = %d; before = [%s]; after = [%s];\n", line, len(p.Tasks), len(before), strings.Join(before, ","), strings.Join(after, ","))
	for name, list := range cols {
		out += name + " = [" + strings.Join(list, ",") + "];\n"
	}
	return out
}

// Middle-sized problems against a general constraint solver: MiniZinc 2.6.4 with Gecode 6.2, both from Debian;
// their answers are recorded in testdata/outside.txt, and made again with SAKUJI_MINIZINC=1. No plan is
// shorter than the optimum; without mixes all are as short, with them most are, and the others nearly.
func TestAgainstAConstraintSolver(t *testing.T) {
	if os.Getenv("SAKUJI_MINIZINC") != "" {
		record(t)
	}
	f, err := os.Open("testdata/outside.txt")
	require.NoError(t, err)
	defer f.Close()
	seen, missed := 0, 0
	for lines := bufio.NewScanner(f); lines.Scan(); {
		words := strings.Fields(lines.Text())
		if len(words) != 2 || strings.HasPrefix(words[0], "#") {
			continue
		}
		seed, err := strconv.ParseUint(words[0], 10, 64)
		require.NoError(t, err)
		best, err := strconv.ParseInt(words[1], 10, 64)
		require.NoError(t, err)
		p := middling(seed)
		end := reached(t, p, best, 60_000, seed).Cost.EndS
		if seed < outsideCases/2 {
			assert.Equal(t, best, end, "seed %d", seed)
		} else if end > best {
			missed++
			assert.LessOrEqual(t, float64(end), 1.06*float64(best), "seed %d", seed)
		}
		seen++
	}
	assert.Equal(t, outsideCases, seen)
	assert.LessOrEqual(t, missed, 3)
}

// record asks the other solver.
func record(t *testing.T) {
	t.Helper()
	out := "# seed and shortest end of the problems of outside_test.go, by `minizinc --solver gecode outside.mzn`, proved optimal\n"
	for seed := range uint64(outsideCases) {
		file := t.TempDir() + "/x.dzn"
		require.NoError(t, os.WriteFile(file, []byte(data(middling(seed))), 0o600))
		said, err := exec.Command("minizinc", "--solver", "gecode", "testdata/outside.mzn", file).Output()
		require.NoError(t, err)
		lines := strings.Fields(string(said))
		require.Contains(t, string(said), "==========", "it is proved")
		out += fmt.Sprintf("%d %s\n", seed, lines[len(lines)-3])
	}
	require.NoError(t, os.WriteFile("testdata/outside.txt", []byte(out), 0o600))
}
