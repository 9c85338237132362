package kit

import (
	"context"
	"errors"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"

	"sakuji/app/change"
	"sakuji/app/models"
	"sakuji/studio"
)

// Soon is how long a request waits for a job before it shows how far it is.
const Soon = 700 * time.Millisecond

// keepFiles streams the files of a multipart form to disk as they arrive, and returns
// them with the form's other fields.
func (s *Kit) keepFiles(w http.ResponseWriter, r *http.Request, field string) (files []models.Kept, problems []string, values url.Values, err error) {
	values = url.Values{}
	takeFiles(r)
	parts, err := r.MultipartReader()
	if err != nil {
		return nil, nil, values, uploadError(err)
	}
	for {
		part, err := parts.NextPart()
		if errors.Is(err, io.EOF) {
			return files, problems, values, nil
		}
		if err != nil {
			return files, problems, values, uploadError(err)
		}
		if part.FormName() != field {
			text, err := io.ReadAll(io.LimitReader(part, 64<<10))
			if err != nil {
				return files, problems, values, uploadError(err)
			}
			values.Add(part.FormName(), string(text))
			continue
		}
		if part.FileName() == "" {
			continue
		}
		kept, refused, err := s.App.Models.Arrive(part.FileName(), part)
		if err != nil {
			return files, problems, values, uploadError(err)
		}
		files, problems = append(files, kept...), append(problems, refused...)
	}
}

// received ends an upload: what is read by now is told, what is not goes on by itself.
func (s *Kit) received(w http.ResponseWriter, r *http.Request, to, batch string, problems []string) {
	jobs, err := s.App.Jobs.Await(r.Context(), batch, Soon)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	done, open, failed := 0, 0, problems
	for _, j := range jobs {
		switch {
		case j.Open():
			open++
		case j.State == studio.JobDone:
			done++
		case j.State == studio.JobFailed:
			failed = append(failed, j.Note)
			if err := s.App.Jobs.CancelJob(r.Context(), j.ID); err != nil { // it is told here
				s.Fail(w, r, err)
				return
			}
		}
	}
	told := ""
	if done > 0 && open == 0 {
		told = studio.Say(done, "file") + " read."
	}
	if open > 0 {
		told = studio.Say(open, "file") + " arrived whole; reading goes on by itself."
	}
	if len(failed) > 0 {
		if done+open == 0 {
			s.Fail(w, r, &change.Refusal{Text: strings.Join(failed, " ")})
			return
		}
		told += " Not taken: " + strings.Join(failed, " ")
	}
	s.Done(w, r, to, told)
}

// TakeFiles keeps the files of a form and hands them to a change that queues them.
func (s *Kit) TakeFiles(w http.ResponseWriter, r *http.Request, to string, queue func([]models.Kept, url.Values) (batch string, err error)) {
	files, problems, values, err := s.keepFiles(w, r, "files")
	if err == nil && len(files) == 0 && len(problems) > 0 {
		err = &change.Refusal{Text: strings.Join(problems, " ")}
	}
	if err == nil && len(files) == 0 {
		err = &change.Refusal{Text: "Choose one or several model files."}
	}
	batch := ""
	if err == nil {
		batch, err = queue(files, values)
	} else {
		s.App.Models.Forget(context.WithoutCancel(r.Context()), files...)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.received(w, r, to, batch, problems)
}
