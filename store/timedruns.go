package store

import "sakuji/studio"

const timedRunColumns = `machine_id, run_id, what, ours_min, real_min, at_ms`

// TimedRuns returns what was learned of each machine, oldest first.
func (t *Tx) TimedRuns() (map[int64][]studio.TimedRun, error) {
	list, err := rows[studio.TimedRun](t, `SELECT `+timedRunColumns+` FROM timed_runs ORDER BY id`)
	out := map[int64][]studio.TimedRun{}
	for _, l := range list {
		out[l.MachineID] = append(out[l.MachineID], l)
	}
	return out, err
}

// AddTimedRun adds one; of a run only the first counts.
func (t *Tx) AddTimedRun(l studio.TimedRun) error {
	_, err := t.add("timed_runs", timedRunColumns, &l, `ON CONFLICT (run_id) DO NOTHING`)
	return err
}
