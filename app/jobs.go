package app

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
	"sync"
	"time"

	"sakuji/store"
	"sakuji/studio"
)

// queue is the long work under way. The jobs themselves are rows; here is only what
// a running program needs: who works, what changed, how to stop a job.
type queue struct {
	mu      sync.Mutex
	open    bool
	wake    chan struct{}
	changed chan struct{} // closed and made anew at every change
	cancels map[int64]context.CancelFunc
}

// workers is how many jobs run at a time; each uses all processors by itself.
const workers = 2

// jobsKept is how long ended jobs are remembered.
const jobsKept = 30 * 24 * time.Hour

// Work carries out jobs until the context ends. Jobs that ran when the program last
// ended begin anew, and models without an analysis get one.
func (a *App) Work(ctx context.Context, log *slog.Logger) {
	err := a.Store.Write(ctx, func(tx *store.Tx) error {
		if err := tx.WakeJobs(); err != nil {
			return err
		}
		if err := tx.SweepJobs(a.Clock.Now().Add(-jobsKept)); err != nil {
			return err
		}
		ids, err := tx.Unanalysed()
		for _, id := range ids {
			if err == nil {
				err = a.analyseLater(tx, id)
			}
		}
		return err
	})
	if err != nil {
		log.Error("jobs", "err", err)
		return
	}
	q := &a.queue
	q.mu.Lock()
	q.open, q.wake = true, make(chan struct{}, 1)
	q.mu.Unlock()
	var wait sync.WaitGroup
	wait.Go(func() {
		if err := a.measureDetail(ctx); err != nil && ctx.Err() == nil {
			log.Error("creases", "err", err)
		}
	})
	for range workers {
		wait.Go(func() {
			for ctx.Err() == nil {
				if a.workOnce(ctx, log) {
					continue
				}
				select {
				case <-ctx.Done():
				case <-q.wake:
				case <-time.After(10 * time.Second):
				}
			}
		})
	}
	wait.Wait()
	q.mu.Lock()
	q.open = false
	q.mu.Unlock()
}

// measureDetail measures the creases of models that came before creases were measured.
func (a *App) measureDetail(ctx context.Context) error {
	var models []studio.Model
	err := a.Store.Read(ctx, func(tx *store.Tx) (err error) {
		models, err = tx.WithoutDetail()
		return err
	})
	for _, m := range models {
		if err != nil || ctx.Err() != nil {
			return err
		}
		soup, e := a.soupOf(m.SHA)
		if e != nil {
			return e
		}
		_, shape := studio.MeasureModel(soup)
		m.Shape.Detail = shape.Detail
		err = a.Store.Write(ctx, func(tx *store.Tx) error { return tx.SaveDetail(m) })
	}
	return err
}

// Settle carries out all jobs that wait, here and now: for a program without workers.
func (a *App) Settle(ctx context.Context) {
	for a.workOnce(ctx, slog.New(slog.DiscardHandler)) {
	}
}

// stir wakes a worker and tells those who wait that something changed.
func (a *App) stir() {
	q := &a.queue
	q.mu.Lock()
	defer q.mu.Unlock()
	if q.changed != nil {
		close(q.changed)
		q.changed = nil
	}
	select {
	case q.wake <- struct{}{}:
	default:
	}
}

// Changed returns a channel that is closed when some job has moved on.
func (a *App) Changed() <-chan struct{} {
	q := &a.queue
	q.mu.Lock()
	defer q.mu.Unlock()
	if q.changed == nil {
		q.changed = make(chan struct{})
	}
	return q.changed
}

// workOnce takes the next job and carries it out; false when there is none.
func (a *App) workOnce(ctx context.Context, log *slog.Logger) bool {
	var j studio.Job
	err := a.Store.Write(ctx, func(tx *store.Tx) (err error) {
		j, err = tx.NextJob()
		return err
	})
	if err != nil {
		if !NotFound(err) && ctx.Err() == nil {
			log.Error("jobs", "err", err)
		}
		return false
	}
	jobCtx, cancel := context.WithCancel(ctx)
	defer cancel()
	q := &a.queue
	q.mu.Lock()
	if q.cancels == nil {
		q.cancels = map[int64]context.CancelFunc{}
	}
	q.cancels[j.ID] = cancel
	q.mu.Unlock()
	start := time.Now()
	err = a.carryOut(jobCtx, j)
	q.mu.Lock()
	delete(q.cancels, j.ID)
	q.mu.Unlock()
	if err != nil && ctx.Err() == nil {
		err = a.jobFailed(ctx, log, j, err)
	}
	if err != nil && ctx.Err() == nil {
		log.Error("job", "id", j.ID, "kind", j.Kind, "err", err)
	}
	log.Info("job", "id", j.ID, "kind", j.Kind, "name", j.Name, "ms", time.Since(start).Milliseconds())
	a.stir()
	return true
}

// carryOut does a job; a panic is an error of its own, so that one broken file never
// stops the others.
func (a *App) carryOut(ctx context.Context, j studio.Job) (err error) {
	defer func() {
		if p := recover(); p != nil {
			err = fmt.Errorf("%v\n%s", p, debug.Stack())
		}
	}()
	told := func(share float64, doing string) error { return a.tell(ctx, j.ID, share, doing) }
	switch j.Kind {
	case studio.JobRead:
		return a.readFile(ctx, j, told)
	case studio.JobAnalyse:
		return a.analyse(ctx, j, told)
	case studio.JobOrient:
		return a.orient(ctx, j, told)
	}
	return a.remake(ctx, j, told)
}

// errStopped ends a job that was cancelled.
var errStopped = errors.New("stopped")

// tell says how far a job is, and stops it when it was cancelled.
func (a *App) tell(ctx context.Context, id int64, share float64, doing string) error {
	running := false
	err := a.Store.Write(ctx, func(tx *store.Tx) (err error) {
		running, err = tx.MoveJob(id, share, doing)
		return err
	})
	if err == nil && !running {
		return errStopped
	}
	a.stir()
	return err
}

// jobFailed writes down why, and lets go of a file that nothing speaks of.
func (a *App) jobFailed(ctx context.Context, log *slog.Logger, j studio.Job, why error) error {
	text := "Something in the program broke while " + j.Doing() + "; the file is as it was."
	var r *Refusal
	switch {
	case errors.Is(why, errStopped), errors.Is(why, context.Canceled):
		text = "cancelled"
	case errors.As(why, &r):
		text = r.Text
	default:
		log.Error("job", "id", j.ID, "kind", j.Kind, "err", why)
	}
	return a.endJob(ctx, j, studio.JobFailed, text)
}

// endJob ends a job that made nothing. Of a batch its others may now become items.
func (a *App) endJob(ctx context.Context, j studio.Job, state, note string) error {
	forget := false
	err := a.Store.Write(ctx, func(tx *store.Tx) error {
		if _, err := tx.EndJob(j.ID, state, note, 0); err != nil {
			return err
		}
		if j.Kind == studio.JobRead {
			dropped, err := tx.DropFile(j.SHA)
			if err != nil {
				return err
			}
			forget = dropped
		}
		return a.itemsOf(Change{tx, Actor{j.HandID, j.Who}, a.Clock.Now()}, j)
	})
	if err == nil && forget {
		err = a.Store.Forget(ctx, j.SHA)
	}
	return err
}

// CancelJob stops a job; what it had not finished is not kept.
func (a *App) CancelJob(ctx context.Context, id int64) error {
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
	a.queue.mu.Lock()
	if stop := a.queue.cancels[id]; stop != nil {
		stop()
	}
	a.queue.mu.Unlock()
	a.stir()
	return nil
}

// Await returns a batch when all of it has ended or the time is over. Where nobody
// works, it does the work itself.
func (a *App) Await(ctx context.Context, batch string, upTo time.Duration) (jobs []studio.Job, err error) {
	a.queue.mu.Lock()
	open := a.queue.open
	a.queue.mu.Unlock()
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
func (a *App) JobsOfOrder(ctx context.Context, number string) (jobs []studio.Job, err error) {
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
func (a *App) JobsOfModel(ctx context.Context, id int64) (jobs []studio.Job, err error) {
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
func (a *App) JobsOfShelf(ctx context.Context) (jobs []studio.Job, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) (err error) {
		jobs, err = tx.ShelfJobs()
		return err
	})
	return jobs, err
}

func newBatch() string { return rand.Text()[:16] }

// analyseLater queues a close look at a model.
func (a *App) analyseLater(tx *store.Tx, modelID int64) error {
	m, err := tx.Model(modelID)
	if err != nil {
		return err
	}
	return tx.AddJob(&studio.Job{Kind: studio.JobAnalyse, Batch: newBatch(), ModelID: m.ID, SHA: m.SHA, Name: m.Name, Who: "the studio", At: a.Clock.Now()})
}
