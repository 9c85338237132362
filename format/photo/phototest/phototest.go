// Package phototest makes pictures that attack who reads them.
package phototest

import (
	"bytes"
	"encoding/binary"
	"hash/crc32"
	"image"
	"image/color"
	"image/png"
	"testing"

	"github.com/stretchr/testify/require"
)

// Moving is a PNG of many frames, each of which would have to be unpacked: acTL, fcTL and fdAT chunks, as the PNG
// specification (third edition) has them.
func Moving(t testing.TB, side, frames int) []byte {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, image.NewNRGBA(image.Rect(0, 0, side, side))))
	still := b.Bytes()
	packed := func(name string, data []byte) []byte {
		out := binary.BigEndian.AppendUint32(nil, uint32(len(data)))
		out = append(append(out, name...), data...)
		return binary.BigEndian.AppendUint32(out, crc32.ChecksumIEEE(out[4:]))
	}
	const head = 8 + 25 // the signature and IHDR
	at := bytes.Index(still, []byte("IDAT")) - 4
	n := int(binary.BigEndian.Uint32(still[at:]))
	pixels := still[at+8 : at+8+n]
	out := append([]byte{}, still[:head]...)
	out = append(out, packed("acTL", binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32(nil, uint32(frames)), 0))...)
	for k, sequence := 0, uint32(0); k < frames; k++ {
		control := binary.BigEndian.AppendUint32(nil, sequence)
		for _, v := range []uint32{uint32(side), uint32(side), 0, 0} {
			control = binary.BigEndian.AppendUint32(control, v)
		}
		out, sequence = append(out, packed("fcTL", append(control, 0, 1, 0, 10, 0, 0))...), sequence+1
		if k == 0 {
			out = append(out, still[at:at+12+n]...)
			continue
		}
		out, sequence = append(out, packed("fdAT", append(binary.BigEndian.AppendUint32(nil, sequence), pixels...))...), sequence+1
	}
	return append(out, packed("IEND", nil)...)
}

// Claiming is a PNG of a few bytes whose head says that it is large.
func Claiming(t testing.TB, width, height uint32) []byte {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, image.NewPaletted(image.Rect(0, 0, 60, 60), color.Palette{color.White, color.Black})))
	head := b.Bytes()
	binary.BigEndian.PutUint32(head[16:], width)
	binary.BigEndian.PutUint32(head[20:], height)
	binary.BigEndian.PutUint32(head[29:], crc32.ChecksumIEEE(head[12:29]))
	return head
}

// deep is a picture of one colour, 16 bits a channel, that takes no memory before it is read.
type deep struct{ width, height int }

func (deep) ColorModel() color.Model   { return color.NRGBA64Model }
func (d deep) Bounds() image.Rectangle { return image.Rect(0, 0, d.width, d.height) }
func (deep) At(int, int) color.Color   { return color.NRGBA64{R: 1, A: 9} }

// Deep is a PNG of 16 bits a channel: 8 bytes a pixel when it is read, next to none before.
func Deep(t testing.TB, width, height int) []byte {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, deep{width, height}))
	return b.Bytes()
}
