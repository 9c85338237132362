// Package apart does what strangers' files ask for in a process of its own, with a limit
// of memory and time: whatever a file does to the program that reads it, the studio stays
// up. The process is this very program; where none is named the work is done here.
package apart

import (
	"bytes"
	"context"
	"encoding/gob"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"time"

	"sakuji/app/change"
	"sakuji/core/rates"
)

// Told is told the share done and what is done next; its error says to stop.
type Told = func(share float64, doing string) error

// Process is how work is done apart. The zero value does it here, in this process.
type Process struct {
	Command []string // the program and its words; none: here
}

// Limits bound a piece of work. What it computes is counted by the time that processors give
// it, so that a busy computer is not taken for a bad file; the clock alone ends what does not
// come to its turn.
type Limits struct {
	MemoryBytes int64
	CPU         time.Duration // of all processors together; 0: only the clock counts
	Clock       time.Duration // for one try
}

// Limits of work on a file of up to largeBytes; of a larger one they grow with it. Source:
// from memory, after what the studio's own models take.
const (
	largeBytes  = 50 << 20
	memoryBytes = 1 << 30
	mostBytes   = 8 << 30

	clockTimes  = 10 // the clock's limit in those of the processors' time
	mostStarved = 3  // tries of work that did not come to its turn
)

// LimitsFor is what work on a file of so many bytes may use, where a file of up to 50 MB may
// take so much of the processors' time.
func LimitsFor(bytes int64, upTo time.Duration) Limits {
	times := max(1, float64(bytes)/largeBytes)
	cpu := time.Duration(float64(upTo) * times)
	return Limits{min(mostBytes, int64(memoryBytes*times)), cpu, clockTimes * cpu}
}

// Kind is a sort of work that can be done apart: it is given only what it needs, and gives
// only what it has found.
type Kind[In, Out any] struct {
	name string
	do   func(context.Context, In, Told) (Out, error)
}

// kinds are known by name, in both processes alike.
var kinds = map[string]func(ctx context.Context, in []byte, told Told) ([]byte, error){}

// NewKind registers a sort of work; it is called while the program starts.
func NewKind[In, Out any](name string, do func(context.Context, In, Told) (Out, error)) Kind[In, Out] {
	kinds[name] = func(ctx context.Context, in []byte, told Told) ([]byte, error) {
		var v In
		if err := gob.NewDecoder(bytes.NewReader(in)).Decode(&v); err != nil {
			return nil, err
		}
		out, err := do(ctx, v, told)
		if err != nil {
			return nil, err
		}
		var b bytes.Buffer
		err = gob.NewEncoder(&b).Encode(&out)
		return b.Bytes(), err
	}
	return Kind[In, Out]{name, do}
}

// request is what the other process is asked, message what it says: how far it is, and at
// the end what it has found or what was wrong.
type request struct {
	Kind        string
	In          []byte
	MemoryBytes int64
	CPU         time.Duration
}

type message struct {
	Share   float64
	Doing   string
	Ended   bool
	Out     []byte
	Refused bool
	Text    string // of a refusal or an error
	Fields  []rates.Wrong
}

// Run does the work. What is called, for people, is the thing it is done on. Work that did not
// come to its turn on a busy computer is begun again, and says so.
func (k Kind[In, Out]) Run(ctx context.Context, p Process, l Limits, what string, in In, told Told) (out Out, err error) {
	if len(p.Command) == 0 {
		return k.do(ctx, in, told)
	}
	var b bytes.Buffer
	if err := gob.NewEncoder(&b).Encode(&in); err != nil {
		return out, err
	}
	q := request{k.name, b.Bytes(), l.MemoryBytes, l.CPU}
	answer, err := p.within(ctx, l.Clock, q, told)
	for try := 1; errors.Is(err, errStarved) && try < mostStarved; try++ {
		if err := told(0, Starved); err != nil {
			return out, err
		}
		answer, err = p.within(ctx, l.Clock, q, told)
	}
	switch {
	case errors.Is(err, errStarved):
		return out, change.Refuse("The computer was too busy with other work to get to %s, in %d tries. Nothing is wrong with it as far as is known: try again when less is going on.", what, mostStarved)
	case errors.Is(err, errTime):
		return out, change.Refuse("%s takes longer than %d s of computing to work on, which is more than a file of its size may. Mend or reduce it first.", what, int(l.CPU.Seconds()))
	case errors.Is(err, errMemory):
		return out, change.Refuse("%s needs more than %d MB of memory to work on, which is more than a file of its size may. Mend or reduce it first.", what, l.MemoryBytes>>20)
	case err != nil:
		return out, err
	}
	return out, gob.NewDecoder(bytes.NewReader(answer)).Decode(&out)
}

// Starved is what work says of itself that is begun again, for the computer had no time for it.
const Starved = "waits for the computer, which is busy with other work"

var (
	errTime    = errors.New("out of processor time")
	errStarved = errors.New("out of turn")
	errMemory  = errors.New("out of memory")
)

// within is one try, which ends with the clock's limit.
func (p Process) within(ctx context.Context, clock time.Duration, q request, told Told) ([]byte, error) {
	limited, cancel := context.WithTimeoutCause(ctx, clock, errStarved)
	defer cancel()
	answer, err := p.run(limited, q, told)
	if err != nil && errors.Is(context.Cause(limited), errStarved) && ctx.Err() == nil {
		err = errStarved
	}
	return answer, err
}

// run asks another process and listens to it until it has ended.
func (p Process) run(ctx context.Context, q request, told Told) ([]byte, error) {
	running, stop := context.WithCancel(ctx)
	defer stop()
	cmd := exec.CommandContext(running, p.Command[0], p.Command[1:]...)
	cmd.Env = append(os.Environ(), memoryVariable+"="+strconv.FormatInt(q.MemoryBytes, 10), cpuVariable+"="+q.CPU.String(), "PATH=") // it starts nothing
	cmd.WaitDelay = time.Second
	var asked bytes.Buffer
	if err := gob.NewEncoder(&asked).Encode(&q); err != nil {
		return nil, err
	}
	cmd.Stdin = &asked
	said := &tail{}
	cmd.Stderr = said
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	answer, heard := listen(out, told)
	if heard != nil && answer == nil {
		stop() // nobody wants to know any more, or it talks nonsense
	}
	ended := cmd.Wait()
	switch {
	case answer != nil && answer.Refused:
		return nil, &change.Refusal{Text: answer.Text, Fields: answer.Fields}
	case answer != nil && answer.Text != "":
		return nil, errors.New(answer.Text)
	case answer != nil:
		return answer.Out, nil
	case heard != nil && !errors.Is(heard, io.EOF) && !errors.Is(heard, io.ErrUnexpectedEOF) && !errors.Is(heard, os.ErrClosed):
		return nil, heard
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case cmd.ProcessState.ExitCode() == exitTime:
		return nil, errTime
	case cmd.ProcessState.ExitCode() == exitMemory, strings.Contains(said.String(), "out of memory"), strings.Contains(said.String(), "cannot allocate memory"), killed(cmd.ProcessState):
		return nil, errMemory
	}
	return nil, fmt.Errorf("the work apart ended: %v: %s", ended, said)
}

// listen tells how far the work is, and returns what came of it.
func listen(r io.Reader, told Told) (*message, error) {
	in := gob.NewDecoder(r)
	for {
		var m message
		if err := in.Decode(&m); err != nil {
			return nil, err
		}
		if m.Ended {
			return &m, nil
		}
		if err := told(m.Share, m.Doing); err != nil {
			return nil, err
		}
	}
}

// tail keeps the beginning of what a process complains, which names the fault.
type tail struct{ bytes.Buffer }

func (t *tail) Write(p []byte) (int, error) {
	if room := 4096 - t.Len(); room > 0 {
		t.Buffer.Write(p[:min(room, len(p))])
	}
	return len(p), nil
}
