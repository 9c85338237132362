package studio

import (
	"fmt"
	"math"
	"net/url"
	"slices"
	"strings"
	"time"

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

// Reach is what is said of a machine beside its figures.
type Reach struct {
	Link               string
	KeepOut            string  // a place of its bed to a line: x, y, width and depth in millimetres
	Takes              []int64 // materials; none: all of its process
	QuietFrom, QuietTo string  // HH:MM; empty: never
}

// Quiet says when the machine must not run; empty: it always may.
func (m Machine) Quiet() string {
	if m.QuietFromMin == m.QuietToMin {
		return ""
	}
	return clockOf(m.QuietFromMin) + " to " + clockOf(m.QuietToMin)
}

func clockOf(min int) string { return fmt.Sprintf("%02d:%02d", min/60, min%60) }

// QuietFrom and QuietTo are for a form; empty where it always may run.
func (m Machine) QuietFrom() string {
	if m.Quiet() == "" {
		return ""
	}
	return clockOf(m.QuietFromMin)
}

// QuietTo is when it may run again.
func (m Machine) QuietTo() string {
	if m.Quiet() == "" {
		return ""
	}
	return clockOf(m.QuietToMin)
}

// LoudMin is for how long it may run at a stretch, in minutes.
func (m Machine) LoudMin() float64 {
	if m.Quiet() == "" {
		return math.Inf(1)
	}
	return float64((m.QuietFromMin - m.QuietToMin + 24*60) % (24 * 60))
}

// Clear is the first moment from one on from which a run of so many minutes keeps out of its quiet
// hours; one that is longer than it may run at a stretch begins right after them.
func (m Machine) Clear(at time.Time, minutes float64, zone *time.Location) time.Time {
	if m.Quiet() == "" {
		return at
	}
	local := at.In(zone)
	now := float64(local.Hour()*60+local.Minute()) + float64(local.Second())/60
	loud := math.Mod(now-float64(m.QuietToMin)+24*60, 24*60) // since it may run
	if loud < m.LoudMin() && (loud+min(minutes, m.LoudMin()) <= m.LoudMin()+1e-9) {
		return at
	}
	return at.Add(time.Duration((24*60 - loud) * float64(time.Minute)))
}

// Disturbs says that a run would go on into the machine's quiet hours; empty: it does not.
func (m Machine) Disturbs(at time.Time, minutes float64, zone *time.Location) string {
	if !m.Clear(at, minutes, zone).After(at) && minutes <= m.LoudMin() {
		return ""
	}
	return fmt.Sprintf("%s must not run from %s; this takes %s.", m.Name, m.Quiet(), Hours(minutes))
}

// Prints reports whether the machine takes a material; 0 is the first of its process.
func (m Machine) Prints(materialID int64) bool {
	return len(m.Takes) == 0 || materialID == 0 || slices.Contains(m.Takes, materialID)
}

// minuteOf reads a time of day.
func minuteOf(text string) (int, bool) {
	t, err := time.Parse("15:04", strings.TrimSpace(text))
	return t.Hour()*60 + t.Minute(), err == nil
}

// Reached sets what is said of a machine beside its figures.
func (m Machine) Reached(r Reach) (Machine, error) {
	var wrong rates.Invalid
	m.Takes, m.QuietFromMin, m.QuietToMin = r.Takes, 0, 0
	if r.QuietFrom+r.QuietTo != "" {
		from, ok1 := minuteOf(r.QuietFrom)
		to, ok2 := minuteOf(r.QuietTo)
		wrong.Need(ok1 && ok2, "quiet_from", "its quiet hours: from and to, as 22:00 and 07:00, or neither")
		wrong.Need(!ok1 || !ok2 || from != to, "quiet_from", "its quiet hours: from %s to %s it could never run", r.QuietFrom, r.QuietTo)
		m.QuietFromMin, m.QuietToMin = from, to
	}
	link, keepOut := r.Link, r.KeepOut
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
