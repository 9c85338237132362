package papers

import (
	"image"
	"regexp"
	"strconv"
	"testing"

	"github.com/makiuchi-d/gozxing"
	"github.com/makiuchi-d/gozxing/qrcode"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The QR code of a single label is read by another library, from what its modules are drawn as.
func TestASingleLabelIsRead(t *testing.T) {
	for _, code := range []string{"0408-5", "https://sakuji.example.org/bench?code=R12", "P1"} {
		page, err := Label{Scan: code, Code: "0408-5", Name: "Frost Gardener 🌱, with a name that goes on and on over several lines of a small label"}.Page()
		require.NoError(t, err)
		matrix, err := gozxing.NewBinaryBitmapFromImage(modules(t, page))
		require.NoError(t, err)
		got, err := qrcode.NewQRCodeReader().Decode(matrix, nil)
		require.NoError(t, err, code)
		assert.Equal(t, code, got.GetText())
	}
}

// modules draws the squares of a label's page as pixels.
func modules(t *testing.T, pdf []byte) image.Image {
	t.Helper()
	img := image.NewGray(image.Rect(0, 0, 620, 290))
	for k := range img.Pix {
		img.Pix[k] = 255
	}
	n := 0
	for _, stream := range streams(t, pdf) {
		for _, box := range rectangles(stream) {
			n++
			x0, y0, x1, y1 := box[0]*25.4/72*10, 290-box[1]*25.4/72*10, (box[0]+box[2])*25.4/72*10, 290-(box[1]+box[3])*25.4/72*10
			for y := int(min(y0, y1) + 0.5); y < int(max(y0, y1)+0.5); y++ {
				for x := int(min(x0, x1) + 0.5); x < int(max(x0, x1)+0.5); x++ {
					if image.Pt(x, y).In(img.Rect) {
						img.Pix[img.PixOffset(x, y)] = 0
					}
				}
			}
		}
	}
	require.Greater(t, n, 100)
	return img
}

// rectangles are those that a page fills, in points: x, y, width and height [published: ISO 32000-1, 8.5.2].
func rectangles(page string) (out [][4]float64) {
	for _, m := range regexp.MustCompile(`(?m)(-?[\d.]+) (-?[\d.]+) (-?[\d.]+) (-?[\d.]+) re f`).FindAllStringSubmatch(page, -1) {
		var box [4]float64
		for k := range box {
			box[k], _ = strconv.ParseFloat(m[k+1], 64)
		}
		out = append(out, box)
	}
	return out
}
