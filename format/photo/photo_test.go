package photo

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"testing"

	"github.com/rwcarlsen/goexif/exif"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// taken is a JPEG as a tablet makes it: red at its left, held so that it must be turned by a quarter,
// with the place it was taken at.
func taken(t *testing.T, w, h int) []byte {
	t.Helper()
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			img.Set(x, y, map[bool]color.RGBA{true: {200, 20, 20, 255}, false: {20, 20, 200, 255}}[x < w/2])
		}
	}
	var b bytes.Buffer
	require.NoError(t, jpeg.Encode(&b, img, &jpeg.Options{Quality: 95}))
	// TIFF 6.0 and Exif 2.3: orientation 6 (the top of the file is at the right) and a GPS directory
	// with the latitude's reference.
	var tiff bytes.Buffer
	put := func(v ...any) {
		for _, x := range v {
			require.NoError(t, binary.Write(&tiff, binary.BigEndian, x))
		}
	}
	put([]byte("MM\x00*"), uint32(8), uint16(2), uint16(0x0112), uint16(3), uint32(1), uint16(6), uint16(0), uint16(0x8825), uint16(4), uint32(1), uint32(38), uint32(0))
	put(uint16(1), uint16(1), uint16(2), uint32(2), []byte("N\x00\x00\x00"), uint32(0))
	segment := append([]byte("Exif\x00\x00"), tiff.Bytes()...)
	head := []byte{0xff, 0xd8, 0xff, 0xe1, byte((len(segment) + 2) >> 8), byte(len(segment) + 2)}
	return append(append(head, segment...), b.Bytes()[2:]...)
}

func TestAPictureIsTurnedAndKeepsNoPlace(t *testing.T) {
	in := taken(t, 400, 200)
	x, err := exif.Decode(bytes.NewReader(in))
	require.NoError(t, err, "another library reads what is put in")
	tag, err := x.Get(exif.GPSLatitudeRef)
	require.NoError(t, err)
	assert.Contains(t, tag.String(), "N")

	out, err := Clean(in)
	require.NoError(t, err)
	_, err = exif.Decode(bytes.NewReader(out))
	assert.Error(t, err, "nothing of it is left")
	assert.NotContains(t, string(out), "Exif")
	img, kind, err := image.Decode(bytes.NewReader(out))
	require.NoError(t, err)
	assert.Equal(t, "jpeg", kind)
	assert.Equal(t, image.Pt(200, 400), img.Bounds().Size(), "held upright")
	r, _, b, _ := img.At(100, 50).RGBA()
	assert.Greater(t, r, b, "its left is its top")
}

func TestLargePicturesAreMadeSmaller(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, image.NewGray(image.Rect(0, 0, 4000, 1000))))
	out, err := Clean(b.Bytes())
	require.NoError(t, err)
	c, err := jpeg.DecodeConfig(bytes.NewReader(out))
	require.NoError(t, err)
	assert.Equal(t, []int{1800, 450}, []int{c.Width, c.Height})
}

func TestWhatIsNoPictureIsRefused(t *testing.T) {
	for _, data := range [][]byte{nil, []byte("%PDF-1.4"), taken(t, 40, 20)[:90]} {
		_, err := Clean(data)
		assert.Error(t, err)
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, image.NewGray(image.Rect(0, 0, 100, 100))))
	huge := b.Bytes()
	binary.BigEndian.PutUint32(huge[16:], 60_000) // its width, as the PNG standard has it
	binary.BigEndian.PutUint32(huge[20:], 60_000)
	_, err := Clean(huge)
	assert.Error(t, err, "opened, it would take gigabytes")
}

// In the size in which it came it is turned, too, and keeps no place.
func TestFullSizeKeepsNoPlaceEither(t *testing.T) {
	data, err := Full(taken(t, 2400, 1200))
	require.NoError(t, err)
	_, err = exif.Decode(bytes.NewReader(data))
	assert.Error(t, err, "no metadata at all")
	img, _, err := image.DecodeConfig(bytes.NewReader(data))
	require.NoError(t, err)
	assert.Equal(t, []int{1200, 2400}, []int{img.Width, img.Height}, "turned, and as large as it came")
	small, err := Clean(taken(t, 2400, 1200))
	require.NoError(t, err)
	img, _, err = image.DecodeConfig(bytes.NewReader(small))
	require.NoError(t, err)
	assert.Equal(t, 1800, max(img.Width, img.Height))
}
