package store

import "sakuji/studio"

// TimedRuns returns what was learned of each machine, oldest first.
func (t *Tx) TimedRuns() (map[int64][]studio.TimedRun, error) {
	list, err := rows(t, func(scan func(...any) error, l *studio.TimedRun) error {
		return scan(&l.MachineID, id(&l.RunID), &l.What, &l.OursMin, &l.RealMin, at(&l.At))
	}, `SELECT machine_id, run_id, what, ours_min, real_min, at_ms FROM timed_runs ORDER BY id`)
	out := map[int64][]studio.TimedRun{}
	for _, l := range list {
		out[l.MachineID] = append(out[l.MachineID], l)
	}
	return out, err
}

// AddTimedRun adds one; of a run only the first counts.
func (t *Tx) AddTimedRun(l studio.TimedRun) error {
	return t.exec(`INSERT INTO timed_runs (machine_id, run_id, what, ours_min, real_min, at_ms) VALUES (?, ?, ?, ?, ?, ?) ON CONFLICT (run_id) DO NOTHING`,
		l.MachineID, id(&l.RunID), l.What, l.OursMin, l.RealMin, at(&l.At))
}
