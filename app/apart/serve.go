package apart

import (
	"context"
	"encoding/gob"
	"errors"
	"fmt"
	"io"
	"os"
	"runtime/debug"
	"runtime/metrics"
	"strconv"
	"time"

	"sakuji/app/change"
)

const (
	memoryVariable = "SAKUJI_APART_BYTES" // how much memory the process may use
	cpuVariable    = "SAKUJI_APART_CPU"   // how much of the processors' time; 0s: any
	exitMemory     = 3                    // it would have used more memory
	exitTime       = 4                    // or more time
)

// Asked reports whether this process was started to be the other one.
func Asked() bool { return os.Getenv(memoryVariable) != "" }

// Serve is the other process: it does what it is asked for once and ends.
func Serve(in io.Reader, out io.Writer) error {
	if limit, _ := strconv.ParseInt(os.Getenv(memoryVariable), 10, 64); limit > 0 {
		cpu, _ := time.ParseDuration(os.Getenv(cpuVariable))
		keepWithin(limit, cpu)
	}
	var q request
	if err := gob.NewDecoder(in).Decode(&q); err != nil {
		return err
	}
	do, known := kinds[q.Kind]
	if !known {
		return fmt.Errorf("nobody here does %q", q.Kind)
	}
	say := gob.NewEncoder(out)
	answer := message{Ended: true}
	var err error
	answer.Out, err = do(context.Background(), q.In, func(share float64, doing string) error {
		return say.Encode(message{Share: share, Doing: doing})
	})
	var refused *change.Refusal
	switch {
	case errors.As(err, &refused):
		answer.Refused, answer.Text, answer.Fields = true, refused.Text, refused.Fields
	case err != nil:
		answer.Text = err.Error()
	}
	return say.Encode(answer)
}

// watchEvery is how often the process looks at its own memory: in between it cannot take
// much more, for memory that is new must be cleared.
const watchEvery = 10 * time.Millisecond

// keepWithin ends the process before it has used more than a limit of memory, or of the processors'
// time; long before, it begins to clear up more often.
func keepWithin(limit int64, cpu time.Duration) {
	debug.SetMemoryLimit(limit * 3 / 4)
	confine(limit)
	parent := os.Getppid()
	go func() {
		used := []metrics.Sample{{Name: "/memory/classes/total:bytes"}, {Name: "/memory/classes/heap/released:bytes"}}
		for {
			metrics.Read(used)
			if int64(used[0].Value.Uint64()-used[1].Value.Uint64()) > limit {
				os.Exit(exitMemory)
			}
			if cpu > 0 && computed() > cpu {
				os.Exit(exitTime)
			}
			if os.Getppid() != parent { // the studio is gone: nobody wants to know any more
				os.Exit(1)
			}
			time.Sleep(watchEvery)
		}
	}()
}
