// Package photo makes pictures from a tablet fit to be kept: turned as they were held, no larger than
// they are looked at, and without anything that tells where or by what they were taken. It reads JPEG, PNG
// and WebP, known by their first bytes, and of a moving one its first picture alone; whatever else a file
// says it is, nothing opens it, and no other program is ever asked to.
package photo

import (
	"bytes"
	"errors"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"image/png"
	"io"

	"github.com/kovidgoyal/imaging"
	"github.com/kovidgoyal/imaging/prism/meta"
	"github.com/kovidgoyal/imaging/prism/meta/icc"
	"github.com/kovidgoyal/imaging/prism/meta/jpegmeta"
	"github.com/kovidgoyal/imaging/prism/meta/pngmeta"
	"github.com/kovidgoyal/imaging/prism/meta/webpmeta"
	"github.com/rwcarlsen/goexif/exif"
	"golang.org/x/image/webp"
)

// What a picture may be, and what is kept of it. Source: from memory: tablets' cameras give up to 108
// million pixels, in files of up to 30 MB.
const (
	MostBytes    = 40 << 20
	mostPixels   = 120e6
	mostUnpacked = 400e6 // bytes: pixels × depth
	sideKept     = 1800  // pixels of the longer side
	quality      = 84
	qualityFull  = 94
)

// What is wrong with a picture.
var (
	ErrTooLarge = errors.New("the picture is too large")
	ErrUnknown  = errors.New("not a JPEG, PNG or WebP picture")
	ErrDamaged  = errors.New("the picture is damaged, or did not arrive whole")
)

// Clean reads a picture and writes it as a JPEG without its metadata, no larger than it is looked at.
func Clean(data []byte) ([]byte, error) { return cleaned(data, sideKept, quality) }

// Full does so in the size in which it came.
func Full(data []byte) ([]byte, error) { return cleaned(data, 0, qualityFull) }

// format is a kind of picture that is read, known by the bytes it begins with.
type format struct {
	begins func(data []byte) bool
	size   func(io.Reader) (image.Config, error)
	open   func(io.Reader) (image.Image, error)
	about  func(io.Reader) (*meta.Data, error)
}

var formats = []format{
	{func(b []byte) bool { return bytes.HasPrefix(b, []byte("\xff\xd8\xff")) }, jpeg.DecodeConfig, jpeg.Decode, jpegmeta.ExtractMetadata},
	{func(b []byte) bool { return bytes.HasPrefix(b, []byte("\x89PNG\r\n\x1a\n")) }, png.DecodeConfig, png.Decode, pngmeta.ExtractMetadata},
	{isWebP, webp.DecodeConfig, webp.Decode, webpmeta.ExtractMetadata},
}

// Known reports whether a file begins as a picture that is read.
func Known(begin []byte) bool { _, ok := formatOf(begin); return ok }

func formatOf(begin []byte) (format, bool) {
	for _, f := range formats {
		if f.begins(begin) {
			return f, true
		}
	}
	return format{}, false
}

// cleaned is a picture whose longer side has so many pixels at the most; 0: as many as it has. A reader of
// others' that falls over a file has found it damaged.
func cleaned(data []byte, side, quality int) (out []byte, err error) {
	defer func() {
		if fell := recover(); fell != nil {
			out, err = nil, ErrDamaged
		}
	}()
	f, known := formatOf(data)
	switch {
	case !known:
		return nil, ErrUnknown
	case len(data) > MostBytes:
		return nil, ErrTooLarge
	}
	about := data
	if isWebP(data) {
		data = stillWebP(data)
	}
	size, err := f.size(bytes.NewReader(data))
	if err != nil {
		return nil, ErrDamaged
	}
	if pixels := float64(size.Width) * float64(size.Height); pixels > mostPixels || pixels*bytesAPixel(size.ColorModel) > mostUnpacked {
		return nil, ErrTooLarge
	}
	img, err := f.open(bytes.NewReader(data))
	if err != nil {
		return nil, ErrDamaged
	}
	if b := img.Bounds(); side > 0 && max(b.Dx(), b.Dy()) > side {
		img = imaging.Fit(img, side, side, imaging.CatmullRom)
	}
	if md, err := f.about(bytes.NewReader(about)); err == nil && md != nil { // what cannot be read of it is not gone by
		img = upright(inSRGB(img, md), md)
	}
	var b bytes.Buffer
	err = jpeg.Encode(&b, onWhite(img), &jpeg.Options{Quality: quality})
	return b.Bytes(), err
}

// bytesAPixel is what a pixel takes when it is unpacked.
func bytesAPixel(m color.Model) float64 {
	switch m {
	case color.GrayModel, color.AlphaModel:
		return 1
	case color.Gray16Model, color.Alpha16Model:
		return 2
	case color.YCbCrModel:
		return 3
	case color.RGBA64Model, color.NRGBA64Model:
		return 8
	}
	if _, is := m.(color.Palette); is {
		return 1
	}
	return 4
}

// inSRGB gives a picture the colours that every screen and paper shows, where it says by which it was taken.
func inSRGB(img image.Image, md *meta.Data) image.Image {
	profile, err := md.ICCProfile()
	if err != nil || profile == nil {
		return img
	}
	converted, err := imaging.ConvertToSRGB(profile, icc.RelativeColorimetricRenderingIntent, true, img)
	if err != nil {
		return img
	}
	return converted
}

// upright turns a picture as it was held. Source: Exif 2.3, tag 274.
func upright(img image.Image, md *meta.Data) image.Image {
	x, err := md.Exif()
	if err != nil || x == nil {
		return img
	}
	tag, err := x.Get(exif.Orientation)
	if err != nil {
		return img
	}
	orientation, err := tag.Int(0)
	turn := map[int]func(image.Image) image.Image{2: imaging.FlipH, 3: imaging.Rotate180, 4: imaging.FlipV, 5: imaging.Transpose,
		6: imaging.Rotate270, 7: imaging.Transverse, 8: imaging.Rotate90}[orientation]
	if err != nil || turn == nil {
		return img
	}
	return turn(img)
}

// onWhite lays what can be seen through on white, for a JPEG knows nothing of that.
func onWhite(img image.Image) image.Image {
	if o, ok := img.(interface{ Opaque() bool }); ok && o.Opaque() {
		return img
	}
	out := image.NewRGBA(img.Bounds())
	draw.Draw(out, out.Bounds(), image.White, image.Point{}, draw.Src)
	draw.Draw(out, out.Bounds(), img, img.Bounds().Min, draw.Over)
	return out
}
