package photo

import (
	"bytes"
	"encoding/binary"
	"hash/crc32"
	"image"
	"image/color"
	"image/gif"
	"image/jpeg"
	"image/png"
	"os"
	"path/filepath"
	"runtime"
	"testing"

	"sakuji/format/photo/phototest"

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

// Of a picture that moves the first frame is read, and nothing of the others: 200 frames of 2000 × 2000 would be 3.2 GB.
func TestOfAMovingPictureTheFirstIsRead(t *testing.T) {
	var before, after runtime.MemStats
	data := phototest.Moving(t, 2000, 200)
	runtime.ReadMemStats(&before)
	out, err := Clean(data)
	require.NoError(t, err)
	runtime.ReadMemStats(&after)
	assert.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(200<<20))
	c, err := jpeg.DecodeConfig(bytes.NewReader(out))
	require.NoError(t, err)
	assert.Equal(t, 1800, c.Width)

	for _, name := range []string{"moving.webp", "moving-lossless.webp"} { // made with libwebp's img2webp: red, then blue
		data, err := os.ReadFile(filepath.Join("testdata", name))
		require.NoError(t, err)
		out, err := Clean(data)
		require.NoError(t, err, name)
		img, err := jpeg.Decode(bytes.NewReader(out))
		require.NoError(t, err)
		assert.Equal(t, image.Pt(32, 20), img.Bounds().Size())
		for x, pale := range map[int]bool{6: false, 24: true} { // its right half can be seen through: white lies behind it
			r, g, b, _ := img.At(x, 10).RGBA()
			assert.Greater(t, r, b+0x3000, name)
			assert.Equal(t, pale, g > 0x6000, "%s at %d: %x", name, x, g)
		}
		_, err = Clean(data[:len(data)/2])
		assert.Error(t, err, "cut off")
	}
}

// Only what its bytes say is a JPEG, PNG or WebP is opened, and never by another program: whatever stands in PATH, nothing
// of it is started.
func TestNoReaderStartsAProgram(t *testing.T) {
	dir := t.TempDir()
	for _, name := range []string{"magick", "convert", "identify", "ffmpeg", "rsvg-convert", "dcraw", "gs", "sh", "exiftool"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte("#!/bin/sh\necho \"$0 $*\" >> "+filepath.Join(dir, "log")+"\n"), 0o755))
	}
	t.Setenv("PATH", dir)
	var animated bytes.Buffer
	require.NoError(t, gif.EncodeAll(&animated, &gif.GIF{Image: []*image.Paletted{image.NewPaletted(image.Rect(0, 0, 8, 8), color.Palette{color.Black, color.White})}, Delay: []int{1}}))
	whole := phototest.Moving(t, 40, 3)
	for what, data := range map[string][]byte{
		"svg": []byte(`<svg xmlns="http://www.w3.org/2000/svg"><image href="file:///etc/passwd"/></svg>`), "gif": animated.Bytes(),
		"mvg": []byte("push graphic-context\nimage over 0,0 1,1 'ephemeral:/etc/passwd'\npop graphic-context"), "postscript": []byte("%!PS-Adobe-3.0"),
		"tiff": []byte("II*\x00\x08\x00\x00\x00"), "bmp": append([]byte("BM"), make([]byte, 60)...), "pnm": []byte("P6 2 2 255 012345678901"),
		"heic": []byte("\x00\x00\x00\x18ftypheic\x00\x00\x00\x00heicmif1"), "avif": []byte("\x00\x00\x00\x18ftypavif\x00\x00\x00\x00avifmif1"),
		"nothing": nil, "webp by name only": []byte("RIFF\x04\x00\x00\x00WAVE"),
		"a head alone": whole[:40], "half a png": whole[:len(whole)/2], "half a jpeg": taken(t, 400, 200)[:300],
		"a webp of nothing": []byte("RIFF\x0c\x00\x00\x00WEBPVP8X\x00\x00\x00\x00"),
	} {
		_, err := Clean(data)
		assert.Error(t, err, what)
	}
	_, err := Clean(whole)
	require.NoError(t, err)
	log, _ := os.ReadFile(filepath.Join(dir, "log"))
	assert.Empty(t, string(log))
}

// Depth counts as pixels do: a picture of 16 bits a channel is half as large at most.
func TestDepthCounts(t *testing.T) {
	for depth, reads := range map[byte]bool{8: true, 16: false} {
		var b bytes.Buffer
		require.NoError(t, png.Encode(&b, image.NewNRGBA(image.Rect(0, 0, 100, 100))))
		head := b.Bytes()
		binary.BigEndian.PutUint32(head[16:], 10_000)
		binary.BigEndian.PutUint32(head[20:], 7_000)
		head[24] = depth
		binary.BigEndian.PutUint32(head[29:], crc32.ChecksumIEEE(head[12:29]))
		_, err := Clean(head)
		require.Error(t, err)
		assert.Equal(t, !reads, err == ErrTooLarge, "%d bits: %v", depth, err) // the other one is opened, and found to be short
	}
}

// What is no picture, or one that lies, ends in an error or in a JPEG, and never in a fall.
func FuzzClean(f *testing.F) {
	f.Add(phototest.Moving(f, 20, 2))
	for _, name := range []string{"moving.webp", "moving-lossless.webp"} {
		data, err := os.ReadFile(filepath.Join("testdata", name))
		require.NoError(f, err)
		f.Add(data)
	}
	var b bytes.Buffer
	require.NoError(f, jpeg.Encode(&b, image.NewGray(image.Rect(0, 0, 16, 16)), nil))
	f.Add(b.Bytes())
	f.Fuzz(func(t *testing.T, data []byte) {
		if size, _, err := image.DecodeConfig(bytes.NewReader(data)); err == nil && size.Width*size.Height > 1<<20 {
			t.Skip("large ones are slow, not different")
		}
		out, err := Clean(data)
		if err == nil {
			_, err = jpeg.Decode(bytes.NewReader(out))
			require.NoError(t, err)
		}
	})
}
