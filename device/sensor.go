package device

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math"
	"net/http"
	"strconv"
	"sync"
	"time"

	"sakuji/app"
	"sakuji/app/change"
	"sakuji/core/finish"
	"sakuji/studio"
)

// Air is what a sensor answers to GET /air.
type Air struct {
	C               float64 `json:"c"`
	HumidityPercent float64 `json:"humidity_percent"`
}

// sensorPatience is how long a sensor is waited for. Source: from memory.
const sensorPatience = 3 * time.Second

// Feel asks a sensor how the air is.
func Feel(ctx context.Context, link string) (a Air, err error) {
	ctx, stop := context.WithTimeout(ctx, sensorPatience)
	defer stop()
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, link+"/air", nil)
	if err != nil {
		return a, err
	}
	answer, err := client.Do(request)
	if err != nil {
		return a, fmt.Errorf("the sensor does not answer at %s", link)
	}
	defer answer.Body.Close()
	if answer.StatusCode != http.StatusOK || json.NewDecoder(io.LimitReader(answer.Body, 4096)).Decode(&a) != nil {
		return a, fmt.Errorf("what answers at %s is no sensor", link)
	}
	return a, nil
}

// A reading is noted when the air has changed by so much, or the last one is so old. Source: from memory.
const (
	feltC       = 0.5
	feltPercent = 3
	feltAgain   = 6 * time.Hour
)

// Thermometer notes what the studio's sensor says of the air. It remembers the last reading that it noted; after a restart
// it notes one.
type Thermometer struct {
	App  *app.App
	last studio.AirReading
}

// Run asks until the context ends.
func (t *Thermometer) Run(ctx context.Context, every time.Duration, log *slog.Logger) {
	tick := time.NewTicker(every)
	defer tick.Stop()
	said := ""
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			err := t.Look(ctx)
			if err != nil && err.Error() != said && ctx.Err() == nil {
				log.Warn("the sensor", "error", err) // said once
			}
			if said = ""; err != nil {
				said = err.Error()
			}
		}
	}
}

// Look asks the sensor once, and notes what has changed. A reading that cannot be is not believed.
func (t *Thermometer) Look(ctx context.Context) error {
	h, err := t.App.Setup.Shop(ctx)
	if err != nil || h.Studio.Defaults.Sensor == "" {
		return err
	}
	air, err := Feel(ctx, h.Studio.Defaults.Sensor)
	if err != nil {
		return err
	}
	now := t.App.Clock.Now()
	r := studio.AirReading{Reading: finish.Reading{At: now, C: air.C, HumidityPercent: air.HumidityPercent}}
	if math.Abs(r.C-t.last.C) < feltC && math.Abs(r.HumidityPercent-t.last.HumidityPercent) < feltPercent && now.Sub(t.last.At) < feltAgain {
		return nil
	}
	_, _, err = t.App.Pieces.NoteAir(ctx, change.Actor{Name: "the sensor"}, r)
	var refusal *change.Refusal
	if errors.As(err, &refusal) {
		return errors.New("the sensor says " + r.Text() + ": " + refusal.Text)
	}
	if err == nil {
		t.last = r
	}
	return err
}

// SimulatedSensor is a stand-in for a sensor: GET /air; and, as no real one does, POST /be?c=18&humidity=60 makes the air
// so. It wavers a little.
type SimulatedSensor struct {
	WaverC float64

	mu  sync.Mutex
	air Air
	n   int
}

func (s *SimulatedSensor) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.air == (Air{}) {
		s.air = Air{C: 21, HumidityPercent: 48}
	}
	switch r.Method + " " + r.URL.Path {
	case "GET /air":
		s.n++
		w.Header().Set("Content-Type", "application/json")
		json.NewEncoder(w).Encode(Air{s.air.C + s.WaverC*math.Sin(float64(s.n)), s.air.HumidityPercent}) //nolint:errcheck // the reader may have gone
	case "POST /be":
		c, err := strconv.ParseFloat(r.FormValue("c"), 64)
		humidity, wrong := strconv.ParseFloat(r.FormValue("humidity"), 64)
		if err != nil || wrong != nil {
			http.Error(w, "c, humidity: numbers", http.StatusBadRequest)
			return
		}
		s.air = Air{c, humidity}
	default:
		http.NotFound(w, r)
	}
}
