package process

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Every fault says what to do, what it loses and what could be changed; a process has its own.
func TestFaults(t *testing.T) {
	for _, f := range Faults("") {
		assert.NotEmpty(t, f.Do, f.Sign)
		assert.NotEmpty(t, f.Changes, f.Sign)
		assert.NotEmpty(t, f.Loses, f.Sign)
		assert.Contains(t, []string{Machines, Persons, Files}, f.Whose, f.Sign)
		assert.Equal(t, f, FaultOf(f.Sign))
	}
	signs := func(processName string) (out []string) {
		for _, f := range Faults(processName) {
			out = append(out, f.Sign)
		}
		return out
	}
	assert.Contains(t, signs(Resin), "stuck to the film")
	assert.NotContains(t, signs(Resin), "clogged nozzle")
	assert.NotContains(t, signs(Filament), "half printed")
	assert.Equal(t, Unknown, FaultOf("a ghost").Sign)
}
