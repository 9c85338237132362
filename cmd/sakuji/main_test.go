package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net/http"
	"net/http/cookiejar"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

// The command is built once and run as a person runs it.
var binary string

func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "sakuji-cmd-")
	if err != nil {
		panic(err)
	}
	binary = filepath.Join(dir, "sakuji")
	if out, err := exec.Command("go", "build", "-o", binary, ".").CombinedOutput(); err != nil {
		fmt.Fprintln(os.Stderr, string(out))
		os.Exit(1)
	}
	code := m.Run()
	if os.Getenv("SAKUJI_SIEGE") != "" {
		tellToll(os.Stdout)
	}
	os.RemoveAll(dir)
	os.Exit(code)
}

// sakuji runs the command and returns what it said and its exit code.
func sakuji(t *testing.T, stdin string, args ...string) (stdout, stderr string, code int) {
	t.Helper()
	cmd := exec.Command(binary, args...)
	var out, errs bytes.Buffer
	cmd.Stdin, cmd.Stdout, cmd.Stderr = strings.NewReader(stdin), &out, &errs
	err := cmd.Run()
	if exit, ok := err.(*exec.ExitError); ok {
		return out.String(), errs.String(), exit.ExitCode()
	}
	require.NoError(t, err)
	return out.String(), errs.String(), 0
}

func file(t *testing.T, name string, data []byte) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(path, data, 0o600))
	return path
}

func block() []byte {
	return mesh.WriteSTL(meshtest.Box(mesh.Vec{X: 5}, mesh.Vec{X: 10, Y: 20, Z: 30}))
}

func TestMeasure(t *testing.T) {
	good, bad := file(t, "block.stl", block()), file(t, "cut.stl", block()[:300])
	out, errs, code := sakuji(t, "", "measure", "--json", good, bad, "missing.stl")
	assert.Equal(t, 1, code)
	lines := strings.Split(strings.TrimSpace(out), "\n")
	require.Len(t, lines, 1, "one object a line, and nothing else")
	var m map[string]any
	require.NoError(t, json.Unmarshal([]byte(lines[0]), &m))
	assert.Equal(t, good, m["file"])
	assert.Equal(t, "stl", m["format"])
	assert.Equal(t, 12.0, m["triangles"])
	assert.Equal(t, 8.0, m["vertices"])
	assert.Equal(t, []any{10.0, 20.0, 30.0}, m["size_mm"])
	assert.InDelta(t, 6000, m["volume_mm3"], 1e-6)
	assert.InDelta(t, 2200, m["area_mm2"], 1e-6)
	assert.Equal(t, true, m["watertight"])
	for _, field := range []string{"shells", "open_edges", "nonmanifold_edges", "inverted_shells", "degenerate"} {
		assert.Contains(t, m, field)
	}
	failed := strings.Split(strings.TrimSpace(errs), "\n")
	require.Len(t, failed, 2, errs)
	assert.Contains(t, failed[0], bad+": byte 300: the file ends too early")
	assert.Contains(t, failed[1], "missing.stl: no such file")

	out, _, code = sakuji(t, "", "measure", "--json", "--unit", "in", good)
	assert.Zero(t, code)
	require.NoError(t, json.Unmarshal([]byte(out), &m))
	assert.InDelta(t, 6000*math.Pow(25.4, 3), m["volume_mm3"], 1)

	obj := file(t, "tetra.obj", []byte("v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 1 4 3\nf 2 3 4\n"))
	out, _, code = sakuji(t, "", "measure", "--json", "--unit", "cm", obj)
	assert.Zero(t, code)
	require.NoError(t, json.Unmarshal([]byte(out), &m))
	assert.Equal(t, "obj", m["format"])
	assert.InDelta(t, 1000.0/6, m["volume_mm3"], 1e-3)

	out, _, code = sakuji(t, "", "measure", good)
	assert.Zero(t, code)
	assert.Contains(t, out, "10.00 × 20.00 × 30.00 mm, 6.00 cm³")
	_, errs, code = sakuji(t, "", "measure", "--max-triangles", "11", good)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "12 triangles, at most 11 are read")
	_, errs, code = sakuji(t, "", "measure", "--max-bytes", "100", good)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "at most 100")
}

func TestWrongUsageIsTwo(t *testing.T) {
	for _, args := range [][]string{{}, {"polish"}, {"measure"}, {"measure", "--json"}, {"measure", "--unit", "yards", "x.stl"}, {"measure", "--nonsense", "x.stl"},
		{"serve"}, {"check"}, {"backup", "--data", "x"}, {"restore", "a", "b", "--data", "x"}, {"passwd", "--data", "x"}} {
		out, errs, code := sakuji(t, "", args...)
		assert.Equal(t, 2, code, "%v: %s", args, errs)
		assert.NotEmpty(t, errs, args)
		assert.Empty(t, out, args)
	}
	_, errs, code := sakuji(t, "", "check", "--data", t.TempDir())
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "holds no studio")
	out, _, code := sakuji(t, "", "--help")
	assert.Zero(t, code)
	for _, verb := range []string{"serve", "demo", "passwd", "check", "backup", "restore", "measure"} {
		assert.Contains(t, out, verb)
	}
}

// served is a studio being served by the command.
type served struct {
	cmd  *exec.Cmd
	out  *bytes.Buffer
	base string
}

func start(t *testing.T, args ...string) *served {
	t.Helper()
	s := &served{cmd: exec.Command(binary, args...), out: &bytes.Buffer{}}
	pipe, err := s.cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, s.cmd.Start())
	t.Cleanup(func() { s.cmd.Process.Kill() }) //nolint:errcheck // it may have ended
	found, ended := make(chan string, 1), make(chan struct{})
	go func() {
		defer close(ended)
		buf := make([]byte, 4096)
		for {
			n, err := pipe.Read(buf)
			s.out.Write(buf[:n])
			if m := regexp.MustCompile(`http://\S+`).FindString(s.out.String()); m != "" && len(found) == 0 {
				found <- m
			}
			if err != nil {
				return
			}
		}
	}()
	select {
	case s.base = <-found:
	case <-ended:
		t.Fatal("it ended without an address: " + s.out.String())
	}
	return s
}

func (s *served) get(t *testing.T, path string) (int, string) {
	t.Helper()
	r, err := http.Get(s.base + path)
	require.NoError(t, err)
	defer r.Body.Close()
	b, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	return r.StatusCode, string(b)
}

// page gets a sheet of the demo with a session, as a browser does.
func (s *served) page(t *testing.T, path string) string {
	t.Helper()
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	r, err := (&http.Client{Jar: jar}).Get(s.base + path)
	require.NoError(t, err)
	defer r.Body.Close()
	b, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	require.Equal(t, http.StatusOK, r.StatusCode, string(b))
	return string(b)
}

func (s *served) stop(t *testing.T) {
	t.Helper()
	require.NoError(t, s.cmd.Process.Signal(syscall.SIGTERM))
	require.NoError(t, s.cmd.Wait(), "it ends by itself, with code 0")
}

func TestServeBackupRestoreCheckPasswd(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "studio")
	s := start(t, "serve", "--data", dir, "--addr", "127.0.0.1:0")
	code, body := s.get(t, "/healthz")
	assert.Equal(t, 200, code)
	assert.Regexp(t, `^ok\nlast good backup: (none|0\.0 h old)\n$`, body)
	_, errs, code := sakuji(t, "", "serve", "--data", dir, "--addr", "127.0.0.1:0")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "another program serves this studio already")
	require.Eventually(t, func() bool { _, body = s.get(t, "/healthz"); return strings.Contains(body, "0.0 h old") }, 3*time.Minute, 50*time.Millisecond)
	out, errs, code := sakuji(t, "", "drill", dir+"-backups")
	assert.Zero(t, code, errs)
	assert.Regexp(t, `comes back whole, in .* s: 0 clients, 0 orders, 0 pieces, 0 models, \d+ lines of the logbook, 0 files`, out)
	_, errs, code = sakuji(t, "", "drill", dir)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "holds no backups")
	_, body = s.get(t, "/")
	assert.Contains(t, body, "A new studio")
	assert.NotContains(t, body, "Token", "on this machine none is needed")

	backup := filepath.Join(t.TempDir(), "b.tgz")
	_, errs, code = sakuji(t, "", "backup", backup, "--data", dir)
	assert.Zero(t, code, errs)
	_, errs, code = sakuji(t, "", "check", "--data", dir)
	assert.Zero(t, code, errs)
	_, errs, code = sakuji(t, "a-new-password\n", "passwd", "Ilse", "--data", dir)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "Nobody here is called")
	s.stop(t)

	again := filepath.Join(t.TempDir(), "again")
	_, errs, code = sakuji(t, "", "restore", backup, "--data", again)
	assert.Zero(t, code, errs)
	_, errs, code = sakuji(t, "", "restore", backup, "--data", again)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "not empty")
	out, _, code = sakuji(t, "", "check", "--data", again)
	assert.Zero(t, code)
	assert.Contains(t, out, "whole")
}

func TestServeOffLoopbackPrintsAToken(t *testing.T) {
	s := start(t, "serve", "--data", t.TempDir(), "--addr", "0.0.0.0:0")
	assert.Regexp(t, `this token is asked for: [A-Z2-7]{12}`, s.out.String())
	s.base = strings.Replace(s.base, "0.0.0.0", "127.0.0.1", 1)
	s.base = strings.Replace(s.base, "[::]", "127.0.0.1", 1)
	_, body := s.get(t, "/first")
	assert.Contains(t, body, "Token printed at the console")
	s.stop(t)
}

func TestDemo(t *testing.T) {
	keep := filepath.Join(t.TempDir(), "demo")
	s := start(t, "demo", "--addr", "127.0.0.1:0", "--keep", keep)
	body := s.page(t, "/")
	assert.Contains(t, body, "Good morning, Ilse")
	assert.Contains(t, body, "Thu 14 May")
	s.stop(t)
	out, errs, code := sakuji(t, "", "check", "--data", keep)
	assert.Zero(t, code, errs)
	assert.Contains(t, out, "whole")
	_, errs, code = sakuji(t, "a-new-password\n", "passwd", "Ilse Karg", "--data", keep)
	assert.Zero(t, code, errs)
	s = start(t, "demo", "--addr", "127.0.0.1:0", "--keep", keep)
	assert.Contains(t, s.page(t, "/logbook"), "password set", "it goes on, and is not made again")
	s.stop(t)
}
