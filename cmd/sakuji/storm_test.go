package main

import (
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"regexp"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// storm are tablets that all work in one studio at once.
type storm struct {
	t      *testing.T
	base   string
	client *http.Client
	pause  time.Duration
	until  time.Time
	pieces []*inHand
	orders []string

	mu     sync.Mutex
	stamps []time.Duration
	sheets []time.Duration
	failed atomic.Int64
}

// inHand is a piece, which lies in one pair of hands at a time.
type inHand struct {
	sync.Mutex
	code string
}

// ask does one request without following where it leads, and notes how long it took.
func (s *storm) ask(method, path string, form url.Values, took *[]time.Duration) string {
	time.Sleep(s.pause)
	req, err := http.NewRequest(method, s.base+path, strings.NewReader(form.Encode()))
	if err != nil {
		s.failed.Add(1)
		return ""
	}
	if form != nil {
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	}
	begin := time.Now()
	r, err := s.client.Do(req)
	if err != nil {
		s.failed.Add(1)
		return ""
	}
	defer r.Body.Close()
	body, err := io.ReadAll(r.Body)
	if err != nil || r.StatusCode >= 400 {
		s.failed.Add(1)
	}
	s.mu.Lock()
	*took = append(*took, time.Since(begin))
	s.mu.Unlock()
	return string(body)
}

var shownField = regexp.MustCompile(`name="shown" value="([^"]*)"`)

// work is what one tablet does until the storm is over: it looks, stamps what nobody else
// has in hand, and takes it back, so that there is something left to stamp.
func (s *storm) work(hand int) {
	for n := hand; time.Now().Before(s.until); n++ {
		s.ask(http.MethodGet, "/bench", nil, &s.sheets)
		if p := s.pieces[n%len(s.pieces)]; p.TryLock() {
			sheet := s.ask(http.MethodGet, "/bench/"+p.code, nil, &s.sheets)
			if m := shownField.FindStringSubmatch(sheet); m != nil {
				s.ask(http.MethodPost, "/bench/"+p.code+"/stamp", url.Values{"shown": {m[1]}, "minutes": {"3"}}, &s.stamps)
				s.ask(http.MethodGet, "/bench/"+p.code, nil, &s.sheets)
				s.ask(http.MethodPost, "/bench/"+p.code+"/take-back", url.Values{}, &s.stamps)
			}
			p.Unlock()
		}
		s.ask(http.MethodGet, "/", nil, &s.sheets)
		s.ask(http.MethodGet, "/orders/"+s.orders[n%len(s.orders)], nil, &s.sheets)
		s.ask(http.MethodGet, "/plates", nil, &s.sheets)
	}
}

// rage lets tablets work for a while, and tells how it went.
func (s *storm) rage(tablets int, pause, lasts time.Duration) (stampP99 time.Duration, perSecond float64) {
	s.pause, s.until, s.stamps, s.sheets = pause, time.Now().Add(lasts), nil, nil
	var all sync.WaitGroup
	begin := time.Now()
	for hand := range tablets {
		all.Go(func() { s.work(hand) })
	}
	all.Wait()
	seconds := time.Since(begin).Seconds()
	require.NotEmpty(s.t, s.stamps)
	perSecond = float64(len(s.stamps)+len(s.sheets)) / seconds
	slices.Sort(s.stamps)
	slices.Sort(s.sheets)
	of := func(list []time.Duration, share int) time.Duration {
		return list[(len(list)-1)*share/100].Round(time.Millisecond)
	}
	s.t.Logf("%d tablets, pauses of %v, %.0f s: %.0f requests a second; %d stamps, half of them in %v, 99 of 100 in %v; %d sheets, half of them in %v, 99 of 100 in %v",
		tablets, pause, seconds, perSecond, len(s.stamps), of(s.stamps, 50), of(s.stamps, 99), len(s.sheets), of(s.sheets, 50), of(s.sheets, 99))
	return of(s.stamps, 99), perSecond
}

// Fifty tablets at once: the studio answers all of them, and stamps soon.
func TestSiegeOfTablets(t *testing.T) {
	if os.Getenv("SAKUJI_SIEGE") == "" {
		t.Skip("make siege")
	}
	served := start(t, "demo", "--keep", t.TempDir(), "--addr", "127.0.0.1:0")
	s := &storm{t: t, base: served.base, client: &http.Client{Timeout: time.Minute, Transport: &http.Transport{MaxIdleConnsPerHost: 64},
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}}
	found := func(path, pattern string) (list []string) {
		for _, m := range regexp.MustCompile(pattern).FindAllStringSubmatch(served.page(t, path), -1) {
			list = append(list, m[1])
		}
		slices.Sort(list)
		return slices.Compact(list)
	}
	for _, code := range found("/bench", `href="/bench/([0-9-]+)"`) {
		s.pieces = append(s.pieces, &inHand{code: code})
	}
	s.orders = found("/orders", `href="/orders/([0-9]+)"`)
	require.NotEmpty(t, s.pieces)
	require.NotEmpty(t, s.orders)
	p99, perSecond := s.rage(50, 0, 20*time.Second)
	assert.Less(t, p99, 250*time.Millisecond, "a stamp in the storm")
	assert.Greater(t, perSecond, 300., "requests a second in the storm")
	p99, _ = s.rage(50, 2*time.Second, 30*time.Second)
	assert.Less(t, p99, 100*time.Millisecond, "a stamp on a busy day")
	assert.Zero(t, s.failed.Load(), fmt.Sprint("requests that failed"))
	served.stop(t)
}
