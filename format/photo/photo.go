// Package photo makes pictures from a tablet fit to be kept: turned as they were held, no larger than
// they are looked at, and without anything that tells where or by what they were taken.
package photo

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	_ "image/png" // read, too

	"github.com/kovidgoyal/imaging"
	_ "golang.org/x/image/webp" // read, too
)

// What a picture may be, and what is kept of it. Source: from memory.
const (
	MostBytes   = 40 << 20
	mostPixels  = 120e6
	sideKept    = 1800 // pixels of the longer side
	quality     = 84
	qualityFull = 94
)

// ErrTooLarge is a picture that is not opened.
var ErrTooLarge = errors.New("the picture is too large")

// Clean reads a JPEG, PNG or WebP and writes it as a JPEG without its metadata, no larger than it is looked at.
func Clean(data []byte) ([]byte, error) { return cleaned(data, sideKept, quality) }

// Full does so in the size in which it came.
func Full(data []byte) ([]byte, error) { return cleaned(data, 0, qualityFull) }

// cleaned is a picture whose longer side has so many pixels at the most; 0: as many as it has.
func cleaned(data []byte, side, quality int) ([]byte, error) {
	size, _, err := image.DecodeConfig(bytes.NewReader(data))
	switch {
	case len(data) > MostBytes || float64(size.Width)*float64(size.Height) > mostPixels:
		return nil, ErrTooLarge
	case err != nil:
		return nil, fmt.Errorf("not a picture that can be read: %w", err)
	}
	img, err := imaging.Decode(bytes.NewReader(data), imaging.AutoOrientation(true))
	if err != nil {
		return nil, fmt.Errorf("the picture is damaged: %w", err)
	}
	if b := img.Bounds(); side > 0 && max(b.Dx(), b.Dy()) > side {
		img = imaging.Fit(img, side, side, imaging.CatmullRom)
	}
	var out bytes.Buffer
	err = jpeg.Encode(&out, img, &jpeg.Options{Quality: quality})
	return out.Bytes(), err
}
