package orders

import (
	"context"
	"errors"
	"slices"
	"time"

	"sakuji/app/change"
	"sakuji/app/jobs"
	"sakuji/app/models"
	"sakuji/app/setup"
	"sakuji/store"
	"sakuji/studio"
)

// Receive queues model files for an order: one item of them, a part for each, or an
// item for each file; without an order they go on the shelf. A file already known is
// not read again. The batch's name tells how it goes.
func (a *Room) Receive(ctx context.Context, who change.Actor, number string, files []models.Kept, eachItsOwn bool) (batch string, err error) {
	batch = jobs.NewBatch()
	queue := func(d change.Change, orderID int64) error {
		var last studio.Job
		for _, f := range files {
			j, err := a.models.QueueFile(d, f, batch, studio.JobOptions{Each: eachItsOwn}, orderID)
			if err != nil {
				return err
			}
			last = j
		}
		return a.itemsOf(d, last)
	}
	if number == "" {
		err = a.Do(ctx, who, func(d change.Change) error { return queue(d, 0) })
	} else {
		err = a.OnOrder(ctx, who, number, func(d change.Change, o *studio.Order) error { return queue(d, o.ID) })
	}
	if err != nil {
		a.models.Forget(ctx, files...)
	}
	a.queue.Stir()
	return batch, err
}

// itemsOf makes the items of a batch when the last of its files is read. It is called
// whenever one of them ends.
func (a *Room) itemsOf(d change.Change, j studio.Job) error {
	if j.OrderID == 0 || j.Kind != studio.JobRead {
		return nil
	}
	batch, err := d.Batch(j.Batch)
	if err != nil {
		return err
	}
	var list []studio.Model
	for _, b := range batch {
		if b.Open() {
			return nil
		}
		if b.State == studio.JobDone && b.MadeID != 0 {
			m, err := d.Tx.Model(b.MadeID)
			if err != nil {
				return err
			}
			list = append(list, m)
		}
	}
	if len(list) == 0 {
		return nil
	}
	o, err := d.OrderByID(j.OrderID)
	if err != nil || o.MayChange() != nil {
		return err
	}
	h, err := setup.Load(d.Tx)
	if err != nil {
		return err
	}
	groups := [][]studio.Model{list}
	if j.Options.Each {
		groups = nil
		for _, m := range list {
			groups = append(groups, []studio.Model{m})
		}
	}
	for _, g := range groups {
		if _, err := newItem(d, h, o, g); err != nil {
			return err
		}
	}
	return nil
}

// AddItem takes model files in and waits until they are read. Those that cannot be
// read are told by name and not kept; the others become items.
func (a *Room) AddItem(ctx context.Context, who change.Actor, number string, uploads []models.Upload, eachItsOwn bool) (added []studio.Item, problems []string, err error) {
	var files []models.Kept
	for _, u := range uploads {
		k, err := a.models.KeepUpload(u)
		var r *change.Refusal
		if errors.As(err, &r) {
			problems = append(problems, r.Text)
			continue
		}
		if err != nil {
			return nil, problems, err
		}
		files = append(files, k)
	}
	if len(files) == 0 {
		return nil, problems, nil
	}
	before, err := a.items(ctx, number)
	if err != nil {
		return nil, problems, err
	}
	batch, err := a.Receive(ctx, who, number, files, eachItsOwn)
	if err != nil {
		return nil, problems, err
	}
	read, err := a.queue.Await(ctx, batch, time.Hour)
	if err != nil {
		return nil, problems, err
	}
	for _, j := range read {
		if j.State == studio.JobFailed {
			problems = append(problems, j.Note)
			if err := a.queue.CancelJob(ctx, j.ID); err != nil { // told here and now
				return nil, problems, err
			}
		}
	}
	after, err := a.items(ctx, number)
	for _, it := range after {
		if !slices.ContainsFunc(before, func(was studio.Item) bool { return was.ID == it.ID }) {
			added = append(added, it)
		}
	}
	return added, problems, err
}

// items are those of an order.
func (a *Room) items(ctx context.Context, number string) (list []studio.Item, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		o, err := tx.Order(number)
		if err != nil {
			return err
		}
		list, err = tx.Items(o.ID)
		return err
	})
	return list, err
}
