package studio

import (
	"fmt"
	"net/url"
	"strings"

	"sakuji/core/plate"
	"sakuji/core/rates"
)

// mostKeptFree is how many places of a bed are kept free at most.
const mostKeptFree = 20

// KeepOutText writes the places of a bed that are kept free, one to a line.
func KeepOutText(list []plate.KeepOut) string {
	var lines []string
	for _, k := range list {
		lines = append(lines, fmt.Sprintf("%s %s %s %s", rates.Number(k.XMM), rates.Number(k.YMM), rates.Number(k.WidthMM), rates.Number(k.DepthMM)))
	}
	return strings.Join(lines, "\n")
}

// Reach sets where a machine answers, and what of its bed is kept free: a place to a line, x, y, width
// and depth in millimetres.
func (m Machine) Reach(link, keepOut string) (Machine, error) {
	var wrong rates.Invalid
	m.Link, m.KeepOut = strings.TrimRight(strings.TrimSpace(link), "/"), nil
	if m.Link != "" {
		u, err := url.Parse(m.Link)
		wrong.Need(err == nil && (u.Scheme == "http" || u.Scheme == "https") && u.Host != "" && len(m.Link) <= 200, "link", "its address begins with http:// and names a computer")
	}
	bed := m.Bed()
	for i, line := range strings.Split(keepOut, "\n") {
		words := strings.FieldsFunc(line, func(r rune) bool { return r == ' ' || r == ';' || r == '\t' || r == '\r' })
		if len(words) == 0 {
			continue
		}
		var n [4]float64
		ok := len(words) == len(n)
		for k := range n {
			if ok {
				v, err := ParseNumber(words[k])
				n[k], ok = v, err == nil
			}
		}
		k := plate.KeepOut{XMM: n[0], YMM: n[1], WidthMM: n[2], DepthMM: n[3]}
		wrong.Need(ok && k.WidthMM > 0 && k.DepthMM > 0 && k.XMM >= 0 && k.YMM >= 0 && k.XMM+k.WidthMM <= bed.WidthMM && k.YMM+k.DepthMM <= bed.DepthMM, "keep_out",
			"line %d: four numbers, x and y of the lower left, width and depth in mm, on a bed of %s × %s mm", i+1, rates.Number(bed.WidthMM), rates.Number(bed.DepthMM))
		m.KeepOut = append(m.KeepOut, k)
	}
	wrong.Need(len(m.KeepOut) <= mostKeptFree, "keep_out", "%d places at most", mostKeptFree)
	return m, wrong.Err()
}
