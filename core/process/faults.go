package process

import "slices"

// Fault is a way in which a print fails: what to do about it, and what it loses. Source: common
// practice.
type Fault struct {
	Sign    string
	Process string   // resin, filament; empty: either
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

// Faults lists them, those of a process; of both for "".
func Faults(processName string) []Fault {
	all := []Fault{
		{"stuck to the film", Resin, "Clear the vat and strain the resin, tighten the film, warm the room, level the plate.", []string{"vat strained, film tightened", "plate levelled", "longer bottom exposure", "room warmed"}, "the plate", Machines},
		{"supports too few", Resin, "Hold the island with more supports; the rest of the plate is good.", []string{"more supports", "turned another way", "longer exposure"}, "the part", Files},
		{"half printed", Resin, "Turn it so that no layer pulls as hard, or open the cup that sucks; look at the film.", []string{"turned another way", "holes bored", "film changed", "slower lift"}, "some of the plate", Files},
		{"came off the bed", Filament, "Clean the bed; a brim holds more. Look at the hot end: a blob around it may have spoilt it.", []string{"bed cleaned", "brim added", "bed hotter"}, "the plate, perhaps a nozzle", Machines},
		{"clogged nozzle", Filament, "Clean or replace it.", []string{"nozzle cleaned", "nozzle replaced", "filament dried"}, "the plate", Machines},
		{"layers shifted", Filament, "Tighten the belts, look for what the head ran into; keep the halves for scrap parts.", []string{"belt tightened", "slower travel", "turned another way"}, "the part", Machines},
		{"wrong settings", "", "Put the settings right; send what can be saved to smoothing, with extra hours.", []string{"exposure", "layer height", "speed", "temperature", "walls or infill"}, "the part, or hours", Persons},
		{"power cut", "", "Start it again: nothing was wrong with the print.", []string{"nothing: the power failed"}, "the plate", Machines},
		{Unknown, "", "Change one thing only, and note it: changed together, nobody learns which it was.", []string{"turned another way", "more supports", "another machine", "nothing: by chance"}, "the part", Machines},
	}
	return slices.DeleteFunc(all, func(f Fault) bool { return processName != "" && f.Process != "" && f.Process != processName })
}

// FaultOf finds one by its sign; what is not in the list is not known.
func FaultOf(sign string) Fault {
	all := Faults("")
	if at := slices.IndexFunc(all, func(f Fault) bool { return f.Sign == sign }); at >= 0 {
		return all[at]
	}
	return all[len(all)-1]
}
