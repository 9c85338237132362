package mesh

import (
	"slices"
	"time"
)

// ratios keeps seconds spent by name.
type ratios map[string][]float64

func (r *ratios) time(what string, do func() int) {
	if *r == nil {
		*r = ratios{}
	}
	start := time.Now()
	do()
	(*r)[what] = append((*r)[what], time.Since(start).Seconds())
}

func (r ratios) median(what string) float64 {
	s := slices.Sorted(slices.Values(r[what]))
	return s[len(s)/2]
}
