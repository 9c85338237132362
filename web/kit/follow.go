package kit

import (
	"net/http"

	"sakuji/app/change"
	"sakuji/studio"
)

// Follow waits a moment for the work of a batch and leads to what came of it; of what takes
// longer it tells where that will stand.
func (k *Kit) Follow(w http.ResponseWriter, r *http.Request, batch, to, later string, done func(studio.Job) (where, told string)) {
	jobs, err := k.App.Jobs.Await(r.Context(), batch, Soon)
	if err != nil {
		k.Fail(w, r, err)
		return
	}
	for _, j := range jobs {
		switch j.State {
		case studio.JobFailed:
			if err = k.App.Jobs.CancelJob(r.Context(), j.ID); err == nil {
				err = &change.Refusal{Text: j.Note}
			}
			k.Fail(w, r, err)
			return
		case studio.JobDone:
			where, told := done(j)
			k.Done(w, r, where, told)
			return
		}
	}
	k.Done(w, r, to, later)
}
