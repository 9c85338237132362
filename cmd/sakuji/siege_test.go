package main

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"mime/multipart"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

// siege is a studio of its own that is attacked over its address, as a stranger would.
type siege struct {
	*served
	t      *testing.T
	dir    string
	client *http.Client
}

const siegePassword = "lantern and larch"

// besiege starts a studio and names its owner.
func besiege(t *testing.T, args ...string) *siege {
	return besiegeIn(t, filepath.Join(t.TempDir(), "studio"), args...)
}

func besiegeIn(t *testing.T, dir string, args ...string) *siege {
	s := &siege{t: t, dir: dir, served: start(t, append([]string{"serve", "--data", dir, "--addr", "127.0.0.1:0"}, args...)...)}
	s.client = s.stranger()
	code, page := s.post("/first", "name", "Ilse Karg", "password", siegePassword, "again", siegePassword)
	require.Equal(t, http.StatusOK, code, page)
	_, page = s.ask(http.MethodGet, "/models", "", nil)
	require.Contains(t, page, "Every design", "signed in")
	return s
}

func (s *siege) stranger() *http.Client {
	jar, err := cookiejar.New(nil)
	require.NoError(s.t, err)
	return &http.Client{Jar: jar, Timeout: time.Minute}
}

func (s *siege) ask(method, path, kind string, body io.Reader) (int, string) {
	req, err := http.NewRequest(method, s.base+path, body)
	require.NoError(s.t, err)
	if kind != "" {
		req.Header.Set("Content-Type", kind)
	}
	r, err := s.client.Do(req)
	if err != nil {
		return 0, err.Error()
	}
	defer r.Body.Close()
	b, _ := io.ReadAll(r.Body)
	return r.StatusCode, string(b)
}

func (s *siege) post(path string, fields ...string) (int, string) {
	form := url.Values{}
	for i := 0; i+1 < len(fields); i += 2 {
		form.Set(fields[i], fields[i+1])
	}
	return s.ask(http.MethodPost, path, "application/x-www-form-urlencoded", strings.NewReader(form.Encode()))
}

// shelve lays a model on the shelf.
func (s *siege) shelve(name string, data []byte) int { return s.upload("/models", name, data) }

// upload sends a file to where files are taken.
func (s *siege) upload(to, name string, data []byte) int {
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	f, err := w.CreateFormFile("files", name)
	require.NoError(s.t, err)
	_, err = f.Write(data)
	require.NoError(s.t, err)
	require.NoError(s.t, w.Close())
	code, _ := s.ask(http.MethodPost, to, w.FormDataContentType(), &b)
	return code
}

// residentMB is how much memory a process holds.
func residentMB(pid int) int {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	if err != nil {
		return 0
	}
	m := regexp.MustCompile(`VmRSS:\s+(\d+) kB`).FindSubmatch(text)
	if m == nil {
		return 0
	}
	kb, _ := strconv.Atoi(string(m[1]))
	return kb >> 10
}

// childrenOf are the processes that one has started.
func childrenOf(pid int) (out []int) {
	threads, _ := filepath.Glob(fmt.Sprintf("/proc/%d/task/*/children", pid))
	for _, name := range threads {
		text, _ := os.ReadFile(name)
		for _, w := range strings.Fields(string(text)) {
			n, _ := strconv.Atoi(w)
			out = append(out, n)
		}
	}
	return out
}

// hostile are files that are made to take long, or a lot.
func hostile() map[string]func() []byte {
	unit := meshtest.Box(mesh.Vec{}, mesh.Vec{X: 9, Y: 9, Z: 9})
	many := func(n int, each func(i int) *mesh.Soup) []byte {
		list := make([]*mesh.Soup, n)
		for i := range list {
			list[i] = each(i)
		}
		return mesh.WriteSTL(meshtest.Together(list...))
	}
	rnd := rand.New(rand.NewPCG(1, 2))
	flat := func(n int, at func(i int) [9]float64) []byte {
		out := make([]float32, 0, 9*n)
		for i := range n {
			for _, x := range at(i) {
				out = append(out, float32(x))
			}
		}
		return mesh.WriteSTL(mesh.SoupOf("stl", out))
	}
	comb := func() []byte {
		comb := &bytes.Buffer{}
		for k := range 1999 {
			a := 2 * math.Pi * float64(k) / 1999
			fmt.Fprintf(comb, "v %g %g 0\n", (10+9*float64(k%2))*math.Cos(a), (10+9*float64(k%2))*math.Sin(a))
		}
		for range 1500 {
			comb.WriteString("f")
			for k := range 1999 {
				fmt.Fprintf(comb, " %d", k+1)
			}
			comb.WriteByte('\n')
		}
		return comb.Bytes()
	}
	bomb := func() []byte {
		var bomb bytes.Buffer
		z, _ := gzip.NewWriterLevel(&bomb, gzip.BestSpeed)
		for zeros := make([]byte, 1<<20); bomb.Len() < 9<<20; {
			z.Write(zeros) //nolint:errcheck // into memory
		}
		z.Close()
		return bomb.Bytes()
	}
	return map[string]func() []byte{
		"equal.obj": func() []byte { return []byte("v 0 0 0\nv 9 0 0\nv 0 9 0\n" + strings.Repeat("f 1 2 3\n", 40_000)) },
		"boxes.stl": func() []byte { return many(20_000, func(int) *mesh.Soup { return unit }) },
		"nested.stl": func() []byte {
			return many(300, func(i int) *mesh.Soup {
				x := float64(i) / 10
				return meshtest.Box(mesh.Vec{X: x, Y: x, Z: x}, mesh.Vec{X: 80 - 2*x, Y: 80 - 2*x, Z: 80 - 2*x})
			})
		},
		"tiny.stl": func() []byte {
			return many(60_000, func(i int) *mesh.Soup {
				return meshtest.Box(mesh.Vec{X: float64(i%40) * 2, Y: float64(i/40%40) * 2, Z: float64(i/1600) * 2}, mesh.Vec{X: 1, Y: 1, Z: 1})
			})
		},
		"random.stl": func() []byte {
			return flat(20_000, func(int) (t [9]float64) {
				for k := range t {
					t[k] = 80 * rnd.Float64()
				}
				return t
			})
		},
		"fan.stl": func() []byte {
			return flat(100_000, func(i int) [9]float64 {
				a, b := 2*math.Pi*float64(i)/100_000, 2*math.Pi*float64(i+1)/100_000
				return [9]float64{0, 0, 9, 40 * math.Cos(a), 40 * math.Sin(a), 0, 40 * math.Cos(b), 40 * math.Sin(b), 0}
			})
		},
		"comb.obj": comb, "bomb.stl.gz": bomb,
		"far.obj":   func() []byte { return []byte("v 1e37 0 0\nv 9 0 0\nv 0 9 0\nf 1 2 3\n") },
		"cut.stl":   func() []byte { return block()[:300] },
		"empty.stl": func() []byte { return nil },
	}
}

// Files that take the process that reads them down, or would take for ever: each is done or
// refused within its limits, the studio answers all the while, and a good file is read after.
func TestSiegeOfHostileFiles(t *testing.T) {
	a := besieging(t, "hostile files of models")
	s := besiege(t)
	pid := s.cmd.Process.Pid
	files, most, mostAway, longest := 0, 0, 0, time.Duration(0)
	for name, made := range hostile() {
		data := made()
		mostStudio, mostApart, slowest := 0, 0, time.Duration(0)
		begin := time.Now()
		busy := begin
		assert.Less(t, s.shelve(name, data), 500, name)
		for time.Since(begin) < 3*time.Minute {
			mostStudio = max(mostStudio, residentMB(pid))
			apart := childrenOf(pid)
			for _, child := range apart {
				mostApart = max(mostApart, residentMB(child))
			}
			asked := time.Now()
			code, page := s.ask(http.MethodGet, "/models", "", nil)
			slowest = max(slowest, time.Since(asked))
			require.Equal(t, http.StatusOK, code, "%s: %s", name, page)
			if len(apart) > 0 {
				busy = time.Now()
			}
			if time.Since(busy) > 2*time.Second { // nothing of it is under way any more
				break
			}
			time.Sleep(50 * time.Millisecond)
		}
		t.Logf("%-12s %6.1f MB: done or refused in %5.1f s, apart %4d MB, studio %3d MB, slowest sheet %v", name, float64(len(data))/(1<<20), busy.Sub(begin).Seconds(), mostApart, mostStudio, slowest.Round(time.Millisecond))
		files, most, mostAway, longest = files+1, max(most, mostStudio), max(mostAway, mostApart), max(longest, busy.Sub(begin))
		a.heldf("%d files done or refused, each within %.1f s; studio at most %d MB, apart %d MB", files, longest.Seconds(), most, mostAway)
		assert.Less(t, busy.Sub(begin), time.Minute, name) // one piece of work apart may compute so long
		assert.Less(t, mostApart, 1300, name)
		assert.Less(t, mostStudio, 700, name)
	}
	require.Less(t, s.shelve("good.stl", block()), 400)
	time.Sleep(2 * time.Second)
	_, page := s.ask(http.MethodGet, "/models", "", nil)
	assert.Contains(t, page, "Good")
	s.stop(t)
}

// Small files that once took all memory there is are read, apart from the studio, and looked
// at to the end; it goes on, and so does the next file.
func TestFilesThatAskForTooMuch(t *testing.T) {
	s := besiege(t)
	pid := s.cmd.Process.Pid
	made := hostile()
	page := ""
	for _, name := range []string{"equal.obj", "random.stl"} {
		require.Less(t, s.shelve(name, made[name]()), 400)
	}
	for begin, quiet := time.Now(), 0; time.Since(begin) < time.Minute && quiet < 20; time.Sleep(100 * time.Millisecond) {
		quiet++
		for _, child := range childrenOf(pid) {
			assert.Less(t, residentMB(child), 1100)
			quiet = 0
		}
	}
	_, page = s.ask(http.MethodGet, "/models", "", nil)
	assert.Contains(t, page, "Equal")
	assert.Contains(t, page, "Random")
	assert.NotContains(t, page, "more than 1024 MB", "nothing was refused")
	assert.NotContains(t, page, "Mend or reduce it first", "nothing was refused")
	require.Less(t, s.shelve("good.stl", block()), 400)
	for begin := time.Now(); time.Since(begin) < time.Minute && !strings.Contains(page, "10.0 × 20.0 × 30.0 mm"); time.Sleep(100 * time.Millisecond) {
		_, page = s.ask(http.MethodGet, "/models", "", nil)
	}
	assert.Contains(t, page, "10.0 × 20.0 × 30.0 mm", "and a good file is read")
	s.stop(t)
	out, errs, code := sakuji(t, "", "check", "--data", s.dir)
	assert.Zero(t, code, errs)
	assert.Contains(t, out, "whole")
}

// Killed again and again under load, the studio has lost nothing that it said it had saved.
func TestSiegeOfKills(t *testing.T) {
	a := besieging(t, "kills under load")
	s := besiege(t)
	rnd := rand.New(rand.NewPCG(3, 4))
	acknowledged := map[string]bool{}
	var mu sync.Mutex
	for round := range 8 {
		stop := make(chan struct{})
		var load sync.WaitGroup
		for hand := range 6 {
			load.Go(func() {
				for n := 0; ; n++ {
					select {
					case <-stop:
						return
					default:
					}
					name := fmt.Sprintf("Client %d-%d-%d", round, hand, n)
					if code, _ := s.post("/clients", "name", name); code == http.StatusOK {
						mu.Lock()
						acknowledged[name] = true
						mu.Unlock()
					}
				}
			})
		}
		time.Sleep(time.Duration(500+rnd.IntN(1000)) * time.Millisecond)
		require.NoError(t, s.cmd.Process.Kill())
		s.cmd.Wait() //nolint:errcheck // it was killed
		close(stop)
		load.Wait()
		again := start(t, "serve", "--data", s.dir, "--addr", "127.0.0.1:0")
		s.served = again
		s.client = s.stranger()
		code, page := s.post("/sign-in", "name", "Ilse Karg", "password", siegePassword)
		require.Equal(t, http.StatusOK, code, page)
	}
	_, page := s.ask(http.MethodGet, "/clients", "", nil)
	lost := 0
	for name := range acknowledged {
		if !strings.Contains(page, ">"+name+"<") {
			lost++
		}
	}
	a.heldf("8 kills: %d writes acknowledged, %d lost", len(acknowledged), lost)
	assert.Zero(t, lost)
	assert.Greater(t, len(acknowledged), 100)
	s.stop(t)
	out, errs, code := sakuji(t, "", "check", "--data", s.dir)
	assert.Zero(t, code, errs)
	assert.Contains(t, out, "whole")
}

// Strangers in a storm at the doors: guesses, half-sent forms and floods of bytes. Somebody
// who belongs there works on meanwhile.
func TestSiegeOfDoors(t *testing.T) {
	a := besieging(t, "a storm at the doors")
	s := besiege(t)
	stop := make(chan struct{})
	var storm sync.WaitGroup
	var guesses, cut atomic.Int64
	for range 20 {
		storm.Go(func() { // half a form, and then nothing
			c, err := net.Dial("tcp", strings.TrimPrefix(s.base, "http://"))
			if err != nil {
				return
			}
			defer c.Close()
			fmt.Fprintf(c, "POST /sign-in HTTP/1.1\r\nHost: x\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: 400\r\n\r\nname=I")
			c.SetReadDeadline(time.Now().Add(40 * time.Second)) //nolint:errcheck // then it fails below
			if _, err := io.ReadAll(c); err == nil {
				cut.Add(1)
			}
		})
		storm.Go(func() { // guesses at one name
			for {
				select {
				case <-stop:
					return
				default:
				}
				r, err := http.PostForm(s.base+"/sign-in", url.Values{"name": {"Ilse Karg"}, "password": {"guess"}})
				if err == nil {
					r.Body.Close()
					guesses.Add(1)
				}
			}
		})
	}
	var took []time.Duration
	for begin := time.Now(); time.Since(begin) < 25*time.Second; {
		asked := time.Now()
		code, page := s.ask(http.MethodGet, "/orders", "", nil)
		require.Equal(t, http.StatusOK, code, page)
		took = append(took, time.Since(asked))
		time.Sleep(20 * time.Millisecond)
	}
	close(stop)
	storm.Wait()
	slices.Sort(took)
	a.heldf("%d guesses and 20 half-sent forms in 25 s, %d of the forms cut; %d sheets of somebody at work, half of them in %v, 99 of 100 in %v", guesses.Load(), cut.Load(), len(took), took[len(took)/2].Round(time.Millisecond), took[len(took)*99/100].Round(time.Millisecond))
	assert.EqualValues(t, 20, cut.Load())
	s.stop(t)
}
