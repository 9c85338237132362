package schedule

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

var week = Hours{From: 9 * time.Hour, PerDay: 8 * time.Hour, Hands: 1, Zone: time.UTC}

func at(day, hour, minute int) time.Time {
	return time.Date(2026, 5, day, hour, minute, 0, 0, time.UTC)
}

// By hand: a print begun Thursday at 15:00 runs 20 h, to Friday 11:00; 3 h of hands to 14:00;
// a day's wait to Saturday 14:00; an hour of hands on Monday from 9:00.
func TestEarliestByHand(t *testing.T) {
	item := []Step{{MachineMin: 20 * 60, RunMin: 20 * 60}, {HandsMin: 180, WaitMin: 24 * 60}, {HandsMin: 60}}
	assert.Equal(t, at(18, 10, 0), Earliest(at(14, 15, 0), [][]Step{item}, week))
	assert.Equal(t, at(14, 15, 0).Add((20+3+24+1)*time.Hour), Earliest(at(14, 15, 0), [][]Step{item}, Always(1)))
	// Hands begun at half past four go on the next morning.
	assert.Equal(t, at(15, 9, 30), Earliest(at(14, 16, 30), [][]Step{{{HandsMin: 60}}}, week))
	assert.Equal(t, at(14, 9, 0), Earliest(at(14, 9, 0), nil, week))
}

// One pair of hands works while another piece dries: the wait is not added up.
func TestHandsWorkWhileItDries(t *testing.T) {
	one := []Step{{HandsMin: 60, WaitMin: 120}, {HandsMin: 60}}
	assert.Equal(t, at(14, 13, 0), Earliest(at(14, 9, 0), [][]Step{one}, week))
	assert.Equal(t, at(14, 14, 0), Earliest(at(14, 9, 0), [][]Step{one, one}, week))
	assert.Equal(t, at(14, 13, 0), Earliest(at(14, 9, 0), [][]Step{one, one}, Hours{week.From, week.PerDay, 2, time.UTC}))
}

// Two runs of ten hours on a pool of two machines take ten hours, not twenty; four of a
// pool take twenty. MachineMin is of the pool: half of each run's own.
func TestPoolsOfMachines(t *testing.T) {
	run := []Step{{Pool: "resin", MachineMin: 300, RunMin: 600}}
	assert.Equal(t, at(14, 19, 0), Earliest(at(14, 9, 0), [][]Step{run, run}, week))
	assert.Equal(t, at(15, 5, 0), Earliest(at(14, 9, 0), [][]Step{run, run, run, run}, week))
}

// Whoever never rests is never later than whoever does, and nothing is quicker than its
// longest chain.
func TestEarliestBounds(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var items [][]Step
		var longest float64
		for range rapid.IntRange(1, 5).Draw(t, "items") {
			var item []Step
			var chain float64
			for range rapid.IntRange(1, 6).Draw(t, "steps") {
				s := Step{HandsMin: rapid.Float64Range(0, 600).Draw(t, "hands"), WaitMin: rapid.Float64Range(0, 3000).Draw(t, "wait")}
				chain += s.HandsMin + s.WaitMin
				item = append(item, s)
			}
			longest = max(longest, chain)
			items = append(items, item)
		}
		now := at(14, 11, 7)
		usual, always := Earliest(now, items, week), Earliest(now, items, Always(1))
		assert.False(t, usual.Before(always.Add(-time.Minute)))
		assert.False(t, always.Before(now.Add(minutesOf(longest)-time.Second)))
	})
}
