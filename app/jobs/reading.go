package jobs

import (
	"context"
	"io"
)

// Reading is a file that a job reads: it stops when the job is to stop, and tells how far
// it is.
func Reading(ctx context.Context, r io.Reader, bytes int64, doing string, told Progress) io.Reader {
	return &reading{ctx: ctx, r: r, bytes: max(1, bytes), doing: doing, told: told}
}

// toldSteps is how often a file that is read says how far it is.
const toldSteps = 20

type reading struct {
	ctx         context.Context
	r           io.Reader
	bytes, read int64
	steps       int64
	doing       string
	told        Progress
}

func (r *reading) Read(p []byte) (n int, err error) {
	if err := r.ctx.Err(); err != nil {
		return 0, err
	}
	n, err = r.r.Read(p)
	r.read += int64(n)
	if steps := toldSteps * r.read / r.bytes; steps > r.steps {
		r.steps = steps
		if stop := r.told(min(1, float64(r.read)/float64(r.bytes)), r.doing); stop != nil {
			return n, stop
		}
	}
	return n, err
}
