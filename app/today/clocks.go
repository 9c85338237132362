package today

import (
	"fmt"

	"sakuji/studio"
)

// clocks finds those at the bench that nobody has stopped.
func (t *today) clocks() error {
	running, err := t.tx.Running()
	if err != nil || len(running) == 0 {
		return err
	}
	people, err := t.tx.People()
	if err != nil {
		return err
	}
	told := map[int64]bool{}
	for _, s := range running {
		if told[s.PersonID] || !s.Forgotten(t.s.Now, t.zone) {
			continue
		}
		told[s.PersonID] = true
		for _, p := range people {
			if p.ID == s.PersonID {
				t.add(rankReady, s.From, Task{Tone: ToneLate, When: "since " + t.clock(s.From), Title: fmt.Sprintf("%s’s clock runs still", studio.FirstName(p.Name)),
					Detail: "Far longer than was planned. Say when it was stopped, or the hours count.", Action: "Look", Link: "/bench/mine"})
			}
		}
	}
	return nil
}
