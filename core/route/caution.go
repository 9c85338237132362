package route

// BeforeRun is what to see to before a run, by process. Source: common practice.
func BeforeRun(process string) string {
	if process == "resin" {
		return "Vat strained, film tight, resin shaken, room 20 °C or more, bed clean. Uncured resin: nitrile gloves, eye protection, air."
	}
	return "Bed clean and level, filament dry, enough on the spool, nothing in the way of the head. Hot end and bed burn."
}

// Caution is what to mind at a stage of a piece.
func Caution(kind StageKind, process string) string {
	switch {
	case kind == Print:
		return PlateCaution(process)
	case kind == RemoveSupports && process != "resin":
		return "Cut away from yourself and clamp small pieces. Edges and blades cut: gloves, eye protection." + sheet
	}
	return kind.Traits().Caution
}

// PlateCaution is what to mind when a plate comes off, by process. Source: common practice.
func PlateCaution(process string) string {
	if process == "resin" {
		return Print.Traits().Caution
	}
	return "Hot end and bed burn. Let the bed cool and flex the plate off the machine before you pull; no levering. Edges cut: gloves."
}
