package webtest

import (
	"bytes"
	"context"
	"image/png"
	"testing"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
)

// Bracelet is a ring with a hole, a stray block and a speck.
func Bracelet() []byte {
	ring := meshtest.Ring(20, 6, 60, 36)
	return mesh.WriteSTL(meshtest.Together(ring.Part(12, ring.Len()), meshtest.Box(mesh.Vec{X: 34, Y: 0, Z: -5}, mesh.Vec{X: 8, Y: 8, Z: 10}), meshtest.Box(mesh.Vec{X: 40, Y: 40}, mesh.Vec{X: 0.2, Y: 0.2, Z: 0.2})))
}

// Ink counts pixels of about a colour in a picture.
func Ink(t *testing.T, shot []byte, r, g, b int) (n int) {
	t.Helper()
	img, err := png.Decode(bytes.NewReader(shot))
	require.NoError(t, err)
	near := func(a uint32, b int) bool { return int(a>>8)-b < 24 && b-int(a>>8) < 24 }
	for y := img.Bounds().Min.Y; y < img.Bounds().Max.Y; y++ {
		for x := img.Bounds().Min.X; x < img.Bounds().Max.X; x++ {
			if cr, cg, cb, _ := img.At(x, y).RGBA(); near(cr, r) && near(cg, g) && near(cb, b) {
				n++
			}
		}
	}
	return n
}

// Differ counts the pixels in which two pictures of one size differ.
func Differ(t *testing.T, a, b []byte) (n int) {
	t.Helper()
	one, err := png.Decode(bytes.NewReader(a))
	require.NoError(t, err)
	two, err := png.Decode(bytes.NewReader(b))
	require.NoError(t, err)
	require.Equal(t, one.Bounds(), two.Bounds())
	for y := one.Bounds().Min.Y; y < one.Bounds().Max.Y; y++ {
		for x := one.Bounds().Min.X; x < one.Bounds().Max.X; x++ {
			if one.At(x, y) != two.At(x, y) {
				n++
			}
		}
	}
	return n
}

// Touch is a finger on the glass.
func Touch(kind input.DispatchTouchEventType, points ...*input.TouchPoint) chromedp.Action[chromedp.Void] {
	return chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		_, err := cdp.Call(ctx, t, input.DispatchTouchEvent, input.DispatchTouchEventParams{Type: kind, TouchPoints: append([]*input.TouchPoint{}, points...)})
		return err
	})
}
