package store

import "sakuji/studio"

const (
	photoOnce    = `piece_id, plate_id, person_id, sha, full_sha, at_ms, stage`
	photoColumns = `text, strokes, offered, allowed_by, allowed_ms`
	selectPhotos = `SELECT h.id, h.piece_id, h.plate_id, h.person_id, h.sha, coalesce(h.full_sha, '') AS full_sha, h.at_ms, h.stage, h.text, h.strokes, h.offered, h.allowed_by, h.allowed_ms FROM photos h `
)

// AddPhoto adds a photograph of a piece.
func (t *Tx) AddPhoto(p *studio.Photo) (err error) {
	p.ID, err = t.add("photos", photoOnce+`, `+photoColumns, p)
	return err
}

// SavePhoto changes what is said of one, and who may see it.
func (t *Tx) SavePhoto(p *studio.Photo) error {
	return t.save("photos", &p.ID, p, photoColumns, photoOnce)
}

// Photo returns one.
func (t *Tx) Photo(id int64) (studio.Photo, error) {
	return one[studio.Photo](t, selectPhotos+`WHERE h.id = ?`, id)
}

// PhotosOfOrder returns the photographs of the pieces of an order, in the order of time.
func (t *Tx) PhotosOfOrder(orderID int64) ([]studio.Photo, error) {
	return rows[studio.Photo](t, selectPhotos+`JOIN pieces p ON p.id = h.piece_id WHERE p.order_id = ? ORDER BY h.at_ms, h.id`, orderID)
}

// PublicPhoto is a photograph that everybody may see, and what it is of.
type PublicPhoto struct {
	studio.Photo
	Title string
}

// PublicPhotos returns those that clients have allowed and the studio shows, the last first.
func (t *Tx) PublicPhotos(most int) ([]PublicPhoto, error) {
	return rows[PublicPhoto](t, `SELECT h.id, h.sha, h.at_ms, h.text, h.stage, h.offered, h.allowed_by, h.allowed_ms, p.name AS title FROM photos h JOIN pieces p ON p.id = h.piece_id
		WHERE h.offered = 1 AND h.allowed_ms IS NOT NULL ORDER BY h.allowed_ms DESC, h.id DESC LIMIT ?`, most)
}

// PhotosOf returns the photographs of a piece, the newest first.
func (t *Tx) PhotosOf(pieceID int64) ([]studio.Photo, error) {
	return rows[studio.Photo](t, selectPhotos+`WHERE h.piece_id = ? ORDER BY h.at_ms DESC, h.id DESC`, pieceID)
}

// PhotosOn returns the photographs of what came off a plate.
func (t *Tx) PhotosOn(plateID int64) ([]studio.Photo, error) {
	return rows[studio.Photo](t, selectPhotos+`WHERE h.plate_id = ? ORDER BY h.id`, plateID)
}

// DropPhotosOn takes the photographs of what came off a plate away.
func (t *Tx) DropPhotosOn(plateID int64) error {
	return t.exec(`DELETE FROM photos WHERE plate_id = ?`, plateID)
}
