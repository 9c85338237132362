// Package jobs is the durable queue of long work: what takes more than a moment is a
// row that survives a restart, tells how far it is and can be cancelled. A kind of job
// is registered by the room that does it; the queue knows none of them. Answers, beside
// it, are long work whose result lives in memory only.
package jobs

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
	"sync"
	"time"

	"sakuji/app/apart"
	"sakuji/app/change"
	"sakuji/store"
	"sakuji/studio"
)

// Kind is a sort of long work, as the room that does it has registered it.
type Kind struct {
	// Run carries a job out. It is told to stop by the context and by an error of told.
	Run func(ctx context.Context, j studio.Job, told Progress) error
	// Ended, if any, follows in the same transaction when a job has ended that made
	// nothing: it failed or was cancelled.
	Ended func(c change.Change, j studio.Job) error
	// After, if any, follows once that is saved.
	After func(ctx context.Context, j studio.Job) error
}

// Progress is told the share done and what is done next; its error says to stop.
type Progress func(share float64, doing string) error

// Queue is the long work under way. The jobs themselves are rows; here is only what
// a running program needs: who works, what changed, how to stop a job.
type Queue struct {
	change.Base
	Apart  apart.Process // where work on strangers' files is done
	kinds  map[string]Kind
	starts []func(ctx context.Context) error

	mu      sync.Mutex
	open    bool
	wake    chan struct{}
	changed chan struct{} // closed and made again at every change
	cancels map[int64]context.CancelFunc
}

// New makes a queue in which no kind is registered yet.
func New(base change.Base) *Queue {
	return &Queue{Base: base, kinds: map[string]Kind{}, wake: make(chan struct{}, 1), cancels: map[int64]context.CancelFunc{}}
}

// Register says how jobs of a kind are carried out.
func (a *Queue) Register(name string, k Kind) { a.kinds[name] = k }

// AtStart adds what is caught up with when work begins, beside the jobs.
func (a *Queue) AtStart(f func(ctx context.Context) error) { a.starts = append(a.starts, f) }

// workers is how many jobs run at a time; each uses all processors by itself.
const workers = 2

// mostTries is how often a job is begun that the program ended with; then a person decides.
const mostTries = 2

// jobsKept is how long ended jobs are remembered.
const jobsKept = 30 * 24 * time.Hour

// Work carries out jobs until the context ends. Jobs that ran when the program last
// ended begin again.
func (a *Queue) Work(ctx context.Context, log *slog.Logger) {
	err := a.Store.Write(ctx, func(tx *store.Tx) error {
		if err := tx.WakeJobs(mostTries, studio.SetAside); err != nil {
			return err
		}
		before := a.Clock.Now().Add(-jobsKept)
		return errors.Join(tx.SweepJobs(before), tx.SweepActs(before))
	})
	if err != nil {
		log.Error("jobs", "err", err)
		return
	}
	a.mu.Lock()
	a.open = true
	a.mu.Unlock()
	var wait sync.WaitGroup
	for _, catchUp := range a.starts {
		wait.Go(func() {
			if err := catchUp(ctx); err != nil && ctx.Err() == nil {
				log.Error("catching up", "err", err)
			}
		})
	}
	for range workers {
		wait.Go(func() {
			for ctx.Err() == nil {
				if a.workOnce(ctx, log) {
					continue
				}
				select {
				case <-ctx.Done():
				case <-a.wake:
				case <-time.After(10 * time.Second):
				}
			}
		})
	}
	wait.Wait()
	a.mu.Lock()
	a.open = false
	a.mu.Unlock()
}

// Settle carries out all jobs that wait, here and now: for a program without workers.
func (a *Queue) Settle(ctx context.Context) {
	for a.workOnce(ctx, slog.New(slog.DiscardHandler)) {
	}
}

// Stir wakes a worker and tells those who wait that something changed.
func (a *Queue) Stir() {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.changed != nil {
		close(a.changed)
		a.changed = nil
	}
	select {
	case a.wake <- struct{}{}:
	default:
	}
}

// Changed returns a channel that is closed when some job has moved on.
func (a *Queue) Changed() <-chan struct{} {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.changed == nil {
		a.changed = make(chan struct{})
	}
	return a.changed
}

// workOnce takes the next job and carries it out; false when there is none.
func (a *Queue) workOnce(ctx context.Context, log *slog.Logger) bool {
	var j studio.Job
	err := a.Store.Write(ctx, func(tx *store.Tx) (err error) {
		j, err = tx.NextJob()
		return err
	})
	if err != nil {
		if !change.NotFound(err) && ctx.Err() == nil {
			log.Error("jobs", "err", err)
		}
		return false
	}
	jobCtx, cancel := context.WithCancel(ctx)
	defer cancel()
	a.mu.Lock()
	a.cancels[j.ID] = cancel
	a.mu.Unlock()
	start := time.Now()
	err = a.carryOut(jobCtx, j)
	a.mu.Lock()
	delete(a.cancels, j.ID)
	a.mu.Unlock()
	if err != nil && ctx.Err() == nil {
		err = a.jobFailed(ctx, log, j, err)
	} else if err != nil { // the program ends: it goes on next time
		a.putBack(j)
	}
	if err != nil && ctx.Err() == nil {
		log.Error("job", "id", j.ID, "kind", j.Kind, "err", err)
	}
	log.Info("job", "id", j.ID, "kind", j.Kind, "name", j.Name, "ms", time.Since(start).Milliseconds())
	a.Stir()
	return true
}

// putBack lets a job wait that was stopped because the program ends.
func (a *Queue) putBack(j studio.Job) {
	ctx, cancel := context.WithTimeout(context.Background(), 2*time.Second)
	defer cancel()
	_ = a.Store.Write(ctx, func(tx *store.Tx) error { return tx.PutBackJob(j.ID) }) // if not, it counts as a try
}

// carryOut does a job; a panic is an error of its own, so that one broken file never
// stops the others.
func (a *Queue) carryOut(ctx context.Context, j studio.Job) (err error) {
	defer func() {
		if p := recover(); p != nil {
			err = fmt.Errorf("%v\n%s", p, debug.Stack())
		}
	}()
	k, known := a.kinds[j.Kind]
	if !known {
		return fmt.Errorf("nobody here does %q", j.Kind)
	}
	return k.Run(ctx, j, func(share float64, doing string) error { return a.tell(ctx, j.ID, share, doing) })
}

// ErrStopped ends a job that was cancelled.
var ErrStopped = errors.New("stopped")

// tell says how far a job is, and stops it when it was cancelled.
func (a *Queue) tell(ctx context.Context, id int64, share float64, doing string) error {
	running := false
	err := a.Store.Write(ctx, func(tx *store.Tx) (err error) {
		running, err = tx.MoveJob(id, share, doing)
		return err
	})
	if err == nil && !running {
		return ErrStopped
	}
	a.Stir()
	return err
}

// jobFailed writes down why.
func (a *Queue) jobFailed(ctx context.Context, log *slog.Logger, j studio.Job, why error) error {
	text := "Something in the program broke while " + j.Doing() + "; the file is as it was."
	var r *change.Refusal
	stopped := errors.Is(why, ErrStopped) || errors.Is(why, context.Canceled)
	switch {
	case stopped:
		text = "cancelled"
	case errors.As(why, &r):
		text = r.Text
	}
	if !stopped {
		log.Error("job", "id", j.ID, "kind", j.Kind, "name", j.Name, "err", why)
	}
	return a.endJob(ctx, j, studio.JobFailed, text)
}

// Done ends a job within the transaction that saves what it made; one that was cancelled
// meanwhile has made nothing. What it says of itself, if anything, is told.
func Done(c change.Change, j studio.Job, madeID int64, told string) error {
	ended, err := c.EndJob(j.ID, studio.JobDone, told, madeID)
	if err == nil && !ended {
		return ErrStopped
	}
	return err
}

// Save runs the change that saves what a job made, in the name of who asked for it.
func (a *Queue) Save(ctx context.Context, j studio.Job, f func(change.Change) error) error {
	return a.Do(ctx, change.Actor{ID: j.ActorID, Name: j.Who}, f)
}

// endJob ends a job that made nothing; its kind may have something to follow.
func (a *Queue) endJob(ctx context.Context, j studio.Job, state, note string) error {
	k := a.kinds[j.Kind]
	end := func(follow func(change.Change, studio.Job) error) error {
		return a.Save(ctx, j, func(c change.Change) error {
			ended, err := c.EndJob(j.ID, state, note, 0)
			if err != nil || !ended || follow == nil {
				return err
			}
			return follow(c, j)
		})
	}
	err := end(k.Ended)
	if r := (*change.Refusal)(nil); errors.As(err, &r) { // it ends all the same
		err = end(nil)
	}
	if err == nil && k.After != nil {
		err = k.After(ctx, j)
	}
	return err
}

// CancelJob stops a job; what it had not finished is not kept.
func (a *Queue) CancelJob(ctx context.Context, id int64) error {
	var j studio.Job
	err := a.Store.Read(ctx, func(tx *store.Tx) (err error) {
		j, err = tx.Job(id)
		return err
	})
	if err != nil {
		return err
	}
	if !j.Open() {
		return a.Store.Write(ctx, func(tx *store.Tx) error { return tx.SeeJob(id) })
	}
	if err := a.endJob(ctx, j, studio.JobCancelled, "cancelled"); err != nil {
		return err
	}
	a.mu.Lock()
	if stop := a.cancels[id]; stop != nil {
		stop()
	}
	a.mu.Unlock()
	a.Stir()
	return nil
}

// Retry begins a job again that failed or was set aside.
func (a *Queue) Retry(ctx context.Context, id int64) error {
	err := a.Store.Write(ctx, func(tx *store.Tx) error {
		j, err := tx.Job(id)
		if err != nil {
			return err
		}
		f, err := a.Store.File(j.SHA)
		if err != nil {
			return change.Refuse("The file of %s is not kept any more. Send it again.", j.Name)
		}
		f.Close()
		again, err := tx.RetryJob(id)
		if err == nil && !again {
			err = change.Refuse("It is under way already, or done.")
		}
		return err
	})
	a.Stir()
	return err
}

// Await returns a batch when all of it has ended or the time is over. Where nobody
// works, it does the work itself.
func (a *Queue) Await(ctx context.Context, batch string, upTo time.Duration) (jobs []studio.Job, err error) {
	a.mu.Lock()
	open := a.open
	a.mu.Unlock()
	over := time.After(upTo)
	for {
		changed := a.Changed()
		err = a.Store.Read(ctx, func(tx *store.Tx) (err error) {
			jobs, err = tx.Batch(batch)
			return err
		})
		left := 0
		for _, j := range jobs {
			if j.Open() {
				left++
			}
		}
		if err != nil || left == 0 {
			return jobs, err
		}
		if !open {
			if !a.workOnce(ctx, slog.New(slog.DiscardHandler)) {
				return jobs, nil
			}
			continue
		}
		select {
		case <-changed:
		case <-over:
			return jobs, nil
		case <-ctx.Done():
			return jobs, ctx.Err()
		}
	}
}

// JobsOfOrder returns what runs for an order, or failed there unseen.
func (a *Queue) JobsOfOrder(ctx context.Context, number string) (jobs []studio.Job, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		o, err := tx.Order(number)
		if err != nil {
			return err
		}
		jobs, err = tx.OpenJobs(o.ID, 0, 0)
		return err
	})
	return jobs, err
}

// JobsOfModel returns what runs for a model's design, its own analysis too.
func (a *Queue) JobsOfModel(ctx context.Context, id int64) (jobs []studio.Job, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		m, err := tx.Model(id)
		if err != nil {
			return err
		}
		jobs, err = tx.OpenJobs(0, m.DesignID, id)
		return err
	})
	return jobs, err
}

// JobsOfShelf returns files on their way to the shelf.
func (a *Queue) JobsOfShelf(ctx context.Context) (jobs []studio.Job, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) (err error) {
		jobs, err = tx.ShelfJobs()
		return err
	})
	return jobs, err
}

func NewBatch() string { return rand.Text()[:16] }
