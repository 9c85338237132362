package device

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"net/http"
	"slices"
	"sync"
	"time"

	"sakuji/core/process"
	"sakuji/studio"
)

// States of a machine.
const (
	Idle    = studio.MachineIdle
	Running = studio.MachineRunning
	Paused  = studio.MachinePaused
	Ended   = studio.MachineEnded
	Stopped = studio.MachineStopped // Fault says why
	Unclear = "unclear"             // it says what no machine says
)

// Status is what a machine answers to GET /status. Times are its own; temperatures are °C.
type Status struct {
	Name         string             `json:"name"`
	Process      string             `json:"process"`
	State        string             `json:"state"`
	Job          string             `json:"job,omitempty"`
	Layer        int                `json:"layer"`
	Layers       int                `json:"layers"`
	SecondsLeft  float64            `json:"seconds_left"`
	Temperatures map[string]float64 `json:"temperatures"`
	Fault        string             `json:"fault,omitempty"`
	Reports      map[string]string  `json:"reports,omitempty"` // of a job that is over: by piece, good or a cause
	EndedAgoS    float64            `json:"ended_ago_s"`       // since the job is over
}

// Job is what POST /start gives a machine to do.
type Job struct {
	Job     string   `json:"job"`
	Layers  int      `json:"layers"`
	Minutes float64  `json:"minutes"` // as planned
	Pieces  []string `json:"pieces"`
}

// Simulated is a stand-in for a printer that speaks this over HTTP: GET /status; POST /start with a
// Job; POST /pause, /resume, /cancel; and, as no real one does, POST /fail with {"fault"}, and
// POST /cut, a power cut that it forgets its job by. What it is
// planned to take it takes longer or shorter by a factor of its own that it does not tell.
type Simulated struct {
	Name        string
	Process     string
	Factor      float64 // of the planned minutes; 0: one of its own by its seed
	FailPerHour float64
	Seed        uint64
	Now         func() time.Time // nil: the clock of this computer

	mu       sync.Mutex
	runs     uint64
	job      *Job
	realMin  float64
	failMin  float64 // of running, at which it fails; +Inf: it does not
	stops    bool    // the failure ends the job; else it costs one piece
	victim   string
	cause    string
	began    time.Time
	pausedAt time.Time // zero: it is not paused
	rested   time.Duration
	over     time.Time // when it was cancelled or cut; zero: it was not
	fault    string
}

// spread is how far the hidden factor of a machine lies from one, as the deviation of its logarithm.
// Source: from memory.
const spread = 0.12

func (m *Simulated) now() time.Time {
	if m.Now == nil {
		return time.Now()
	}
	return m.Now()
}

// Hidden is the factor that calibration has to find out.
func (m *Simulated) Hidden() float64 {
	if m.Factor > 0 {
		return m.Factor
	}
	return math.Exp(spread * rand.New(rand.NewPCG(m.Seed, 7)).NormFloat64())
}

// ServeHTTP answers as the machine.
func (m *Simulated) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	m.mu.Lock()
	defer m.mu.Unlock()
	var err error
	switch r.Method + " " + r.URL.Path {
	case "GET /status":
	case "POST /start":
		err = m.start(r)
	case "POST /pause":
		err = m.pause()
	case "POST /resume":
		err = m.resume()
	case "POST /cancel":
		err = m.stop("cancelled")
	case "POST /cut":
		m.job = nil
	case "POST /fail":
		var f struct {
			Fault string `json:"fault"`
		}
		if err = json.NewDecoder(http.MaxBytesReader(w, r.Body, 1<<16)).Decode(&f); err == nil {
			err = m.stop(process.FaultOf(f.Fault).Sign)
		}
	default:
		http.Error(w, `{"error":"there is no such thing to do"}`, http.StatusNotFound)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	if err != nil {
		w.WriteHeader(http.StatusConflict)
		_ = json.NewEncoder(w).Encode(map[string]string{"error": err.Error()}) // the reader may have gone
		return
	}
	_ = json.NewEncoder(w).Encode(m.status()) // the same
}

// start takes a job on, and decides by its seed how that goes.
func (m *Simulated) start(r *http.Request) error {
	var j Job
	if err := json.NewDecoder(http.MaxBytesReader(nil, r.Body, 1<<20)).Decode(&j); err != nil {
		return fmt.Errorf("the job cannot be read: %w", err)
	}
	if j.Job == "" || !(j.Minutes > 0 && j.Minutes < 1e6) || j.Layers < 0 {
		return errors.New("a job has a name, minutes and layers")
	}
	if s := m.status().State; s == Running || s == Paused {
		if m.job.Job == j.Job {
			return nil // asked twice
		}
		return fmt.Errorf("%s runs %s", m.Name, m.job.Job)
	}
	m.runs++
	die := rand.New(rand.NewPCG(m.Seed, m.runs))
	m.job, m.realMin, m.failMin = &j, j.Minutes*m.Hidden(), math.Inf(1)
	m.began, m.pausedAt, m.rested, m.over, m.fault, m.victim = m.now(), time.Time{}, 0, time.Time{}, "", ""
	if m.FailPerHour > 0 {
		m.failMin = -math.Log(1-die.Float64()) / m.FailPerHour * 60
		m.stops = die.Float64() < stops
		kinds := causes[m.Process][0]
		if !m.stops {
			kinds = causes[m.Process][1]
		}
		m.cause = kinds[die.IntN(len(kinds))]
		if len(j.Pieces) > 0 {
			m.victim = j.Pieces[die.IntN(len(j.Pieces))]
		}
	}
	return nil
}

func (m *Simulated) pause() error {
	if m.status().State != Running {
		return errors.New("nothing runs")
	}
	m.pausedAt = m.now()
	return nil
}

func (m *Simulated) resume() error {
	if m.status().State != Paused {
		return errors.New("nothing is paused")
	}
	m.rested += m.now().Sub(m.pausedAt)
	m.pausedAt = time.Time{}
	return nil
}

// stop ends a job that is on.
func (m *Simulated) stop(fault string) error {
	if s := m.status().State; s != Running && s != Paused {
		return errors.New("nothing runs")
	}
	m.over, m.fault = m.now(), fault
	return nil
}

// ranMin is for how long a job has run until a moment, pauses left out.
func (m *Simulated) ranMin(at time.Time) float64 {
	if !m.pausedAt.IsZero() {
		at = m.pausedAt
	}
	return at.Sub(m.began).Minutes() - m.rested.Minutes()
}

// status is how it stands now: all of it follows from when what began.
func (m *Simulated) status() Status {
	now := m.now()
	s := Status{Name: m.Name, Process: m.Process, State: Idle, Temperatures: map[string]float64{"room": 21}}
	if m.job == nil {
		return s
	}
	s.Job, s.Layers, s.State = m.job.Job, m.job.Layers, Running
	ran, until := m.ranMin(now), m.realMin
	if m.stops {
		until = min(until, m.failMin)
	}
	over := m.over
	switch {
	case !m.over.IsZero():
		s.State, s.Fault, ran = Stopped, m.fault, m.ranMin(m.over)
	case ran >= until:
		over = m.began.Add(m.rested + time.Duration(until*float64(time.Minute)))
		s.State, ran = Ended, until
		if until < m.realMin {
			s.State, s.Fault = Stopped, m.cause
		}
	case !m.pausedAt.IsZero():
		s.State = Paused
	}
	share := min(1, max(0, ran/m.realMin))
	s.Layer, s.SecondsLeft = int(share*float64(m.job.Layers)), max(0, until-ran)*60
	if m.Process == process.Filament && (s.State == Running || s.State == Paused) {
		s.Temperatures["bed"], s.Temperatures["nozzle"] = 60, 205
	}
	if s.State == Ended || s.State == Stopped {
		s.SecondsLeft, s.EndedAgoS, s.Reports = 0, now.Sub(over).Seconds(), m.reports(s)
	}
	return s
}

// reports says what became of each piece of a job that is over.
func (m *Simulated) reports(s Status) map[string]string {
	out := map[string]string{}
	for _, p := range slices.Sorted(slices.Values(m.job.Pieces)) {
		switch {
		case s.State == Stopped:
			out[p] = s.Fault
		case !m.stops && m.failMin < m.realMin && p == m.victim:
			out[p] = m.cause
		default:
			out[p] = "good"
		}
	}
	return out
}
