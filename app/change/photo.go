package change

import (
	"regexp"

	"sakuji/studio"
)

// named is what a file is kept under.
var named = regexp.MustCompile(`^[0-9a-f]{64}$`)

// NoteFile notes a file that was kept, in the transaction that speaks of it first; false: that is no name of one.
func (a Base) NoteFile(c Change, sha string) (bool, error) {
	if !named.MatchString(sha) {
		return false, nil
	}
	f, err := a.Store.File(sha)
	if err != nil {
		return false, err
	}
	info, err := f.Stat()
	f.Close()
	if err != nil {
		return false, err
	}
	return true, c.AddFile(sha, info.Size(), c.Now)
}

// NotePhoto notes a photograph of a piece that was kept; what is no name of one is left out.
func (a Base) NotePhoto(c Change, p studio.Photo) error {
	if ok, err := a.NoteFile(c, p.SHA); !ok || err != nil {
		return err
	}
	if p.FullSHA != "" {
		if ok, err := a.NoteFile(c, p.FullSHA); !ok || err != nil {
			return err
		}
	}
	if p.PersonID = c.Act().PersonID; p.At.IsZero() {
		p.At = c.Now
	}
	return c.AddPhoto(&p)
}
