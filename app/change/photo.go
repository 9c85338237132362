package change

import (
	"bytes"
	"regexp"

	"sakuji/format/photo"
	"sakuji/studio"
)

// KeepPhoto keeps a photograph, turned upright and without where it was taken, and says under which
// name.
func (a Base) KeepPhoto(data []byte) (sha string, err error) {
	clean, err := photo.Clean(data)
	if err != nil {
		return "", Refuse("The photograph: %s. Nothing was saved.", err)
	}
	sha, _, err = a.Store.Keep(bytes.NewReader(clean), photo.MostBytes)
	return sha, err
}

// named is what a file is kept under.
var named = regexp.MustCompile(`^[0-9a-f]{64}$`)

// NotePhoto notes a photograph of a piece that KeepPhoto has kept; what is no name of one is left out.
func (a Base) NotePhoto(c Change, p studio.Photo) error {
	if !named.MatchString(p.SHA) {
		return nil
	}
	f, err := a.Store.File(p.SHA)
	if err != nil {
		return err
	}
	info, err := f.Stat()
	f.Close()
	if err != nil {
		return err
	}
	if err := c.AddFile(p.SHA, info.Size(), c.Now); err != nil {
		return err
	}
	p.PersonID, p.At = c.Act().PersonID, c.Now
	return c.AddPhoto(&p)
}
