package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"os"
	"os/signal"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"sakuji/core/schedule"
)

// planJob is what the plan command is asked.
type planJob struct {
	Start     time.Time      `json:"start"`
	Resources []planResource `json:"resources"`
	Jobs      []plannedJob   `json:"jobs"`
	Objective string         `json:"objective"` // "makespan", "lateness"; "" is lateness where something is due
	Seconds   *float64       `json:"seconds"`   // of search after the first plan; default 2
	Seed      uint64         `json:"seed"`
}

type planResource struct {
	ID    string      `json:"id"`
	Hours []planHours `json:"hours"`               // none: always
	Tires float64     `json:"tires_minutes_a_day"` // of tasks that tire; 0: any

	Places int `json:"places"` // for what stays on it after tasks; 0: any number
}

type planHours struct {
	Days string `json:"days"` // "mon-fri", "sat,sun"; "" is every day
	From string `json:"from"`
	To   string `json:"to"`
}

type plannedJob struct {
	ID      string        `json:"id"`
	Release *time.Time    `json:"release"`
	Due     *time.Time    `json:"due"`
	Stale   *time.Time    `json:"stale"` // from then on its lateness counts ten times
	Weight  float64       `json:"weight"`
	Tasks   []plannedTask `json:"tasks"`
}

type plannedTask struct {
	ID          string      `json:"id"`
	Minutes     planMinutes `json:"minutes"`
	Resources   []string    `json:"resources"` // any of them
	With        []string    `json:"with"`      // busy, too
	After       *[]string   `json:"after"`     // default: the one before; of another job as JOB/TASK
	WaitMinutes float64     `json:"wait_minutes"`
	Split       bool        `json:"split"`

	WithinMinutes float64 `json:"within_minutes"` // what follows begins so soon after it, or not before again_minutes
	AgainMinutes  float64 `json:"again_minutes"`
	KeepMinutes   float64 `json:"keep_minutes"` // for which "with" stays busy after it
	Air           string  `json:"air"`          // "wet", "dusty": neither beside the other
	DustMinutes   float64 `json:"dust_minutes"` // for which that matters after it
	Tires         bool    `json:"tires"`

	Mix             string   `json:"mix"`               // what has to be set up for it
	MixSavesMinutes float64  `json:"mix_saves_minutes"` // where that is done already on its resource
	MixLastsMinutes float64  `json:"mix_lasts_minutes"` // after a task with the same
	Stays           planStay `json:"stays"`
}

// planStay is where what a task was done on is after it.
type planStay struct {
	Resource string  `json:"resource"`
	Places   int     `json:"places"`
	Minutes  float64 `json:"minutes"`
}

// planMinutes is a number for all resources, or one for each.
type planMinutes struct {
	all float64
	by  map[string]float64
}

func (m *planMinutes) UnmarshalJSON(data []byte) error {
	if len(data) > 0 && data[0] == '{' {
		return json.Unmarshal(data, &m.by)
	}
	return json.Unmarshal(data, &m.all)
}

// planAnswer is what the command says.
type planAnswer struct {
	MakespanMinutes   float64      `json:"makespan_minutes"`
	LowerBoundMinutes float64      `json:"lower_bound_minutes"` // of the makespan
	LateMinutes       float64      `json:"late_minutes"`        // of all jobs, by weight
	LateBoundMinutes  float64      `json:"late_bound_minutes"`  // what that cannot be less than
	Late              []lateJob    `json:"late"`
	Tasks             []placedTask `json:"tasks"`
	Ignored           []string     `json:"ignored,omitempty"` // fields of the job that mean nothing here
}

type lateJob struct {
	Job     string  `json:"job"`
	Minutes float64 `json:"minutes"`
}

type placedTask struct {
	Job      string    `json:"job"`
	Task     string    `json:"task"`
	Resource string    `json:"resource"`
	Start    time.Time `json:"start"`
	End      time.Time `json:"end"`
}

// planDays is for how many days from the start on hours are worked out.
const planDays = 800

func planVerb() *cobra.Command {
	cmd := &cobra.Command{Use: "plan [--json] PLAN.json", Short: "Plan tasks on machines and hands", Args: cobra.ExactArgs(1)}
	asJSON := cmd.Flags().Bool("json", false, "print JSON")
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		var job planJob
		ignored, err := readJSON(args[0], &job)
		var p *schedule.Problem
		if err == nil {
			p, err = job.problem()
		}
		var plan schedule.Plan
		if err == nil {
			stop, cancel := signal.NotifyContext(cmd.Context(), os.Interrupt)
			defer cancel()
			plan, err = job.search(stop, p)
		}
		if err != nil {
			var f failed
			f.add(args[0], err)
			return &f
		}
		out := job.answer(p, plan)
		out.Ignored = ignored
		if *asJSON {
			return json.NewEncoder(cmd.OutOrStdout()).Encode(out)
		}
		return out.print(cmd.OutOrStdout())
	}
	return cmd
}

// search looks for a plan for as long as it is asked, or until nothing is better.
func (j planJob) search(stop context.Context, p *schedule.Problem) (schedule.Plan, error) {
	seconds := 2.0
	if j.Seconds != nil {
		seconds = *j.Seconds
	}
	s, err := schedule.NewSearch(p, rand.New(rand.NewPCG(j.Seed, 1)))
	if err != nil {
		return schedule.Plan{}, err
	}
	bound := p.Bound()
	reached := func() bool {
		if p.Goal == schedule.Lateness {
			return s.Best().Cost.LateS <= bound && len(p.Tasks) < 2
		}
		return float64(s.Best().Cost.EndS) <= bound
	}
	for end := time.Now().Add(time.Duration(seconds * float64(time.Second))); time.Now().Before(end) && stop.Err() == nil && !reached(); {
		s.Step()
	}
	return s.Best(), nil
}

// problem is the job as a problem, or what in it cannot be meant.
func (j planJob) problem() (*schedule.Problem, error) {
	if j.Seconds != nil && !(*j.Seconds >= 0 && *j.Seconds <= longestSearchS) {
		return nil, fmt.Errorf("seconds: between 0 and %d", longestSearchS)
	}
	y, m, d := j.Start.Date()
	p := &schedule.Problem{DayFromS: int64(j.Start.Sub(time.Date(y, m, d, 0, 0, 0, 0, j.Start.Location())).Seconds())}
	resources, err := j.resources(p)
	if err != nil {
		return nil, err
	}
	tasks, err := j.named()
	if err != nil {
		return nil, err
	}
	due, mixes := false, map[string]int{"": 0}
	for i, job := range j.Jobs {
		if !(job.Weight >= 0 && job.Weight <= 1e6) {
			return nil, fmt.Errorf("jobs[%d]: weight: between 0 and 1,000,000", i)
		}
		out := schedule.Job{Name: job.ID, Weight: job.Weight}
		if job.Release != nil {
			out.ReleaseS = max(0, seconds(job.Release.Sub(j.Start).Minutes()))
		}
		if job.Due != nil {
			due, out.DueS = true, max(1, seconds(job.Due.Sub(j.Start).Minutes()))
		}
		if job.Stale != nil {
			due, out.StaleS = true, max(1, seconds(job.Stale.Sub(j.Start).Minutes()))
		}
		p.Jobs = append(p.Jobs, out)
		for k, t := range job.Tasks {
			if _, known := mixes[t.Mix]; !known {
				mixes[t.Mix] = len(mixes)
			}
			task, err := t.task(i, resources, mixes)
			if err == nil {
				task.After, err = t.after(job, k, tasks)
			}
			if err != nil {
				return nil, fmt.Errorf("%s/%s: %w", job.ID, t.ID, err)
			}
			p.Tasks = append(p.Tasks, task)
		}
	}
	switch j.Objective {
	case "lateness":
		p.Goal = schedule.Lateness
	case "makespan":
	case "":
		if due {
			p.Goal = schedule.Lateness
		}
	default:
		return nil, fmt.Errorf("objective %q: makespan or lateness", j.Objective)
	}
	return p, p.Check()
}

// resources adds them, and numbers them by their names.
func (j planJob) resources(p *schedule.Problem) (map[string]int, error) {
	numbers := map[string]int{}
	for i, r := range j.Resources {
		if _, twice := numbers[r.ID]; twice || r.ID == "" {
			return nil, fmt.Errorf("resources[%d]: %q is no name of its own", i, r.ID)
		}
		if r.Places < 0 {
			return nil, fmt.Errorf("resources[%d]: places: none or more", i)
		}
		hours, err := r.calendar(j.Start)
		if err != nil {
			return nil, fmt.Errorf("resources[%d]: %w", i, err)
		}
		numbers[r.ID] = i
		p.Resources = append(p.Resources, schedule.Resource{Name: r.ID, Hours: hours, TiresS: seconds(r.Tires), Places: r.Places})
	}
	return numbers, nil
}

// named numbers the tasks by JOB/TASK.
func (j planJob) named() (map[string]int, error) {
	tasks := map[string]int{}
	for i, job := range j.Jobs {
		for _, t := range job.Tasks {
			key := job.ID + "/" + t.ID
			if _, twice := tasks[key]; twice || t.ID == "" {
				return nil, fmt.Errorf("jobs[%d]: task %q is no name of its own", i, t.ID)
			}
			tasks[key] = len(tasks)
		}
	}
	return tasks, nil
}

// seconds are minutes as whole seconds.
func seconds(minutes float64) int64 { return int64(math.Round(minutes * 60)) }

// mostMinutes is how long a task is at most. Source: from memory.
const mostMinutes = 1e6

func (t plannedTask) task(job int, resources, mixes map[string]int) (out schedule.Task, err error) {
	out = schedule.Task{Job: job, Name: t.ID, Split: t.Split, WaitS: seconds(t.WaitMinutes)}
	for name, minutes := range map[string]float64{"wait_minutes": t.WaitMinutes, "within_minutes": t.WithinMinutes, "again_minutes": t.AgainMinutes, "keep_minutes": t.KeepMinutes, "dust_minutes": t.DustMinutes,
		"mix_saves_minutes": t.MixSavesMinutes, "mix_lasts_minutes": t.MixLastsMinutes, "stays: minutes": t.Stays.Minutes} {
		if !(minutes >= 0 && minutes <= mostMinutes) {
			return out, errors.New(name + ": between 0 and 1,000,000")
		}
	}
	air, known := map[string]schedule.Air{"": schedule.AnyAir, "wet": schedule.Wet, "dusty": schedule.Dusty}[t.Air]
	if !known {
		return out, fmt.Errorf("air %q: wet or dusty", t.Air)
	}
	out.WithinS, out.AgainS, out.KeepS, out.Air, out.DustS, out.Tires = seconds(t.WithinMinutes), seconds(t.AgainMinutes), seconds(t.KeepMinutes), air, seconds(t.DustMinutes), t.Tires
	out.Mix = schedule.Mix{ID: mixes[t.Mix], SavesS: seconds(t.MixSavesMinutes), LastsS: seconds(t.MixLastsMinutes)}
	if t.Stays.Minutes > 0 {
		r, known := resources[t.Stays.Resource]
		if !known {
			return out, fmt.Errorf("stays: there is no resource %q", t.Stays.Resource)
		}
		out.Stay = schedule.Stay{Resource: r, Places: t.Stays.Places, S: seconds(t.Stays.Minutes)}
	}
	names := t.Resources
	if len(names) == 0 {
		for name := range t.Minutes.by {
			names = append(names, name)
		}
		slices.Sort(names)
	}
	for _, name := range names {
		r, known := resources[name]
		if !known {
			return out, fmt.Errorf("there is no resource %q", name)
		}
		minutes := t.Minutes.all
		if t.Minutes.by != nil {
			if minutes, known = t.Minutes.by[name]; !known {
				return out, fmt.Errorf("minutes: none for %q", name)
			}
		}
		if !(minutes >= 0 && minutes <= mostMinutes) {
			return out, errors.New("minutes: between 0 and 1,000,000")
		}
		out.On = append(out.On, schedule.Mode{Resource: r, S: seconds(minutes)})
	}
	for _, name := range t.With {
		r, known := resources[name]
		if !known {
			return out, fmt.Errorf("with: there is no resource %q", name)
		}
		out.With = append(out.With, r)
	}
	return out, nil
}

// after finds what a task comes after.
func (t plannedTask) after(job plannedJob, k int, tasks map[string]int) (out []int, err error) {
	if t.After == nil {
		if k > 0 {
			out = []int{tasks[job.ID+"/"+job.Tasks[k-1].ID]}
		}
		return out, nil
	}
	for _, id := range *t.After {
		i, known := tasks[job.ID+"/"+id]
		if !known {
			i, known = tasks[id]
		}
		if !known {
			return nil, fmt.Errorf("after: there is no task %q", id)
		}
		out = append(out, i)
	}
	return out, nil
}

// weekdays by their names in a plan, Sunday first as in time.Weekday.
var weekdays = []string{"sun", "mon", "tue", "wed", "thu", "fri", "sat"}

// calendar is a resource's hours; nil for always.
func (r planResource) calendar(start time.Time) (*schedule.Calendar, error) {
	if len(r.Hours) == 0 {
		return nil, nil
	}
	var week schedule.Week
	for _, h := range r.Hours {
		from, err1 := clockMinutes(h.From)
		to, err2 := clockMinutes(h.To)
		if err := errors.Join(err1, err2); err != nil {
			return nil, err
		}
		days, err := daysOf(h.Days)
		if err != nil {
			return nil, err
		}
		for _, d := range days {
			week[d] = append(week[d], schedule.MinuteSpan{FromMin: from, ToMin: to})
			slices.SortFunc(week[d], func(a, b schedule.MinuteSpan) int { return a.FromMin - b.FromMin })
		}
	}
	return schedule.CalendarOf(week, start, planDays, nil), nil
}

func clockMinutes(text string) (int, error) {
	if text == "24:00" {
		return 24 * 60, nil
	}
	t, err := time.Parse("15:04", text)
	if err != nil {
		return 0, fmt.Errorf("hours: %q is no time of day", text)
	}
	return t.Hour()*60 + t.Minute(), nil
}

// daysOf reads "mon-fri,sun".
func daysOf(text string) (out []int, err error) {
	if text == "" {
		return []int{0, 1, 2, 3, 4, 5, 6}, nil
	}
	for _, part := range strings.Split(strings.ToLower(text), ",") {
		from, to, through := strings.Cut(strings.TrimSpace(part), "-")
		if !through {
			to = from
		}
		a, b := slices.Index(weekdays, from), slices.Index(weekdays, to)
		if a < 0 || b < 0 {
			return nil, fmt.Errorf("hours: %q are no days", text)
		}
		for d := a; ; d = (d + 1) % 7 {
			out = append(out, d)
			if d == b {
				break
			}
		}
	}
	return out, nil
}

func (j planJob) answer(p *schedule.Problem, plan schedule.Plan) planAnswer {
	out := planAnswer{MakespanMinutes: float64(plan.Cost.EndS) / 60, LateMinutes: plan.Cost.LateS / 60, Late: []lateJob{}, Tasks: []placedTask{}}
	bound := *p
	bound.Goal = schedule.Makespan
	out.LowerBoundMinutes = bound.Bound() / 60
	bound.Goal = schedule.Lateness
	out.LateBoundMinutes = bound.Bound() / 60
	for _, l := range p.Late(plan) {
		out.Late = append(out.Late, lateJob{p.Jobs[l.Job].Name, float64(l.S) / 60})
	}
	at := func(s int64) time.Time { return j.Start.Add(time.Duration(s) * time.Second) }
	for i, x := range plan.At {
		t := p.Tasks[i]
		out.Tasks = append(out.Tasks, placedTask{p.Jobs[t.Job].Name, t.Name, p.Resources[x.Resource].Name, at(x.StartS), at(x.EndS)})
	}
	return out
}

func (a planAnswer) print(w io.Writer) error {
	tasks := slices.Clone(a.Tasks)
	slices.SortStableFunc(tasks, func(x, y placedTask) int { return x.Start.Compare(y.Start) })
	for _, t := range tasks {
		fmt.Fprintf(w, "%s to %s  %s: %s/%s\n", t.Start.Format("Mon 2 Jan 15:04"), t.End.Format("Mon 2 Jan 15:04"), t.Resource, t.Job, t.Task)
	}
	for _, l := range a.Late {
		fmt.Fprintf(w, "%s is %.0f min late\n", l.Job, l.Minutes)
	}
	_, err := fmt.Fprintf(w, "%.0f min in all; nothing shorter than %.0f min\n", a.MakespanMinutes, a.LowerBoundMinutes)
	return err
}
