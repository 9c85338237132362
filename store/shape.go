package store

import (
	"encoding/json"
	"hash/maphash"
	"sync"

	"sakuji/studio"
)

// shape maps a model's shape to JSON. Decoding one is dear and the same shapes are asked
// for again and again, so that the latest are remembered by their content.
type shape struct{ s *studio.ModelShape }

// shapesKept bounds what is remembered, in bytes of JSON.
const shapesKept = 64 << 20

var shapes = struct {
	sync.Mutex
	seed  maphash.Seed
	known map[[2]uint64]studio.ModelShape
	bytes int
}{seed: maphash.MakeSeed(), known: map[[2]uint64]studio.ModelShape{}}

func (p shape) Scan(v any) error {
	text, ok := v.(string)
	if !ok {
		return packed{p.s}.Scan(v)
	}
	key := [2]uint64{maphash.String(shapes.seed, text), uint64(len(text))}
	shapes.Lock()
	known, ok := shapes.known[key]
	shapes.Unlock()
	if ok {
		*p.s = known
		return nil
	}
	if err := json.Unmarshal([]byte(text), p.s); err != nil {
		return err
	}
	shapes.Lock()
	defer shapes.Unlock()
	if shapes.bytes += len(text); shapes.bytes > shapesKept { // begin again: what is looked at comes back by itself
		clear(shapes.known)
		shapes.bytes = len(text)
	}
	shapes.known[key] = *p.s
	return nil
}
