package process

import "slices"

// Fault is a way in which a print fails: what to do about it, and what it loses. Source: common
// practice.
type Fault struct {
	Sign    string
	Do      string   // first
	Changes []string // of which one is changed for the next attempt
	Loses   string
	Whose   string // Machines or Persons doing, or the File
}

// Whose doing a fault is.
const (
	Machines = "the machine’s"
	Persons  = "the operator’s"
	Files    = "the file’s"
)

// Doers are all of them.
func Doers() []string { return []string{Machines, Persons, Files} }

// Unknown is a failure whose cause nobody knows.
const Unknown = "not known"

// anywhere are the faults that every process knows.
var anywhere = []Fault{
	{"wrong settings", "Put the settings right; send what can be saved to smoothing, with extra hours.",
		[]string{"exposure", "layer height", "speed", "temperature", "walls or infill"}, "the part, or hours", Persons},
	{"power cut", "Start it again: nothing was wrong with the print.", []string{"nothing: the power failed"}, "the plate", Machines},
	{Unknown, "Change one thing only, and note it: changed together, nobody learns which it was.",
		[]string{"turned another way", "more supports", "another machine", "nothing: by chance"}, "the part", Machines},
}

// Faults lists them, those of a process; of all of them for "".
func Faults(processName string) (faults []Fault) {
	for _, k := range kinds {
		if processName == "" || processName == k.Name {
			faults = append(faults, k.Faults...)
		}
	}
	return append(faults, anywhere...)
}

// FaultOf finds one by its sign; what is not in the list is not known.
func FaultOf(sign string) Fault {
	all := Faults("")
	if at := slices.IndexFunc(all, func(f Fault) bool { return f.Sign == sign }); at >= 0 {
		return all[at]
	}
	return all[len(all)-1]
}
