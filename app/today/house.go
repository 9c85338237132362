package today

import (
	"strings"
	"time"

	"sakuji/app/backups"
	"sakuji/studio"
)

// setUp is what a new studio still lacks.
func (t *today) setUp() error {
	for i, step := range []struct {
		has                         bool
		title, detail, action, link string
	}{
		{t.h.Studio.Name != "", "Name the studio", "Its name, currency and tax stand on every quote.", "Name it", "/studio"},
		{len(t.h.Machines) > 0, "Add the machines that print", "Without one nothing can be priced or printed.", "Add one", "/studio/machines/new"},
		{len(t.h.Materials) > 0, "Add the materials they print with", "Each with its price and density.", "Add one", "/studio/materials/new"},
	} {
		if !step.has {
			t.add(rankSetUp, t.s.Now.Add(time.Duration(i)), Task{Tone: ToneMachine, When: "first", Title: step.title, Detail: step.detail, Action: step.action, Link: step.link, Owner: true})
		}
	}
	return nil
}

// backups tells when the last good copy is old, and why.
func (t *today) backups() error {
	state, err := t.copies.State()
	if err != nil {
		state.Trouble = err.Error()
	}
	last := state.Last()
	if state.Dir == "" || state.Trouble == "" && (last.Good && t.s.Now.Sub(last.At) < backups.Late || len(state.Copies) == 0) {
		return nil
	}
	task := Task{Tone: ToneLate, When: "never", Title: "The studio has no good backup", Detail: "None can be written to " + state.Dir + ".", Action: "Look", Link: "/studio#backups", Owner: true}
	if last.Good {
		task.When, task.Title = "since "+t.clock(last.At), "The last good backup is old"
	}
	if state.Trouble != "" {
		task.Detail = studio.UpperFirst(strings.TrimSuffix(state.Trouble, ".")) + "."
	}
	t.add(rankBackup, last.At, task)
	return nil
}
