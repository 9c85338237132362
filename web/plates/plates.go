package plates

import (
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"sakuji/app/pictures"
	"sakuji/app/plates"
	"sakuji/core/plate"
	"sakuji/core/process"
	"sakuji/core/route"
	"sakuji/studio"
	"sakuji/web/kit"
)

func (s *Room) plates(w http.ResponseWriter, r *http.Request) {
	v, err := s.App.Plates.Plates(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "plates", kit.Page{Title: "Plates", Sheet: "Plates", Active: "/plates", D: platesView{v}, Keys: kit.Keys("↑ ↓", "move", "Enter", "open", "F", "find")})
}

func (s *Room) layPlate(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Machine  int64 `form:"machine"`
		Material int64 `form:"material"`
		byForm
	}](r)
	number, left := 0, []plate.Left(nil)
	if err == nil {
		number, left, err = s.App.Plates.LayPlate(r.Context(), s.Hand(r), f.Machine, f.Material, f.profile())
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, fmt.Sprintf("/plates/%d", number), leftText(left))
}

// leftText says what was not laid and why, the same reason once.
func leftText(left []plate.Left) string {
	if len(left) == 0 {
		return "All that wait lie on the plate."
	}
	var parts []string
	count := map[string]int{}
	for _, l := range left {
		count[l.Reason]++
		if count[l.Reason] == 1 {
			parts = append(parts, l.ID+": "+l.Reason)
		}
	}
	return fmt.Sprintf("%s left. %s.", studio.Say(len(left), "piece"), strings.Join(parts, "; "))
}

// platesView is the sheet of plates with what its forms need.
type platesView struct{ plates.PlatesSheet }

// Faults are the causes of failures of a process that somebody could put right.
func (v platesView) Faults(processName string) []process.Fault {
	return slices.DeleteFunc(process.Faults(processName), func(f process.Fault) bool { return f.Sign == process.Unknown })
}

// Changes are what may be changed after a failure with a cause.
func (v platesView) Changes(cause string) []string { return process.FaultOf(cause).Changes }

// PlateView is a plate's sheet with its drawing.
type PlateView struct {
	plates.PlateSheet
	Drawing Drawing
	Before  string
	Caution string
	Causes  []process.Fault
	Mends   []route.StageKind
	Cold    float64
}

func plateNumber(r *http.Request) int {
	n, _ := strconv.Atoi(chi.URLParam(r, "number"))
	return n
}

func (s *Room) plate(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Plates.PlateSheet(r.Context(), plateNumber(r))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	v := PlateView{PlateSheet: sheet, Before: process.Of(sheet.Machine.Process).Before,
		Caution: process.Of(sheet.Machine.Process).AtPlate, Causes: process.Faults(sheet.Machine.Process), Mends: route.Mends(), Cold: process.ColdC}
	v.Drawing = DrawPlate(v)
	p := kit.Page{Title: fmt.Sprintf("Plate %d", v.Plate.Number), Sheet: fmt.Sprintf("Plate %d", v.Plate.Number), Active: "/plates", D: v,
		Block: kit.Block("Machine", v.Machine.Name, "Pieces", fmt.Sprint(len(v.Pieces)))}
	if v.Plate.State == studio.PlateLaid {
		p.Keys = kit.Keys("S", "start", "A", "fill again", "↑ ↓", "move", "F", "find")
	} else {
		p.Keys = kit.Keys("E", "empty", "↑ ↓", "move", "F", "find")
	}
	s.Show(w, r, "plate", p)
}

// plateDone ends a change on a plate's sheet.
func (s *Room) plateDone(w http.ResponseWriter, r *http.Request, err error, told string) {
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, fmt.Sprintf("/plates/%d", plateNumber(r)), told)
}

func (s *Room) fillAgain(w http.ResponseWriter, r *http.Request) {
	left, err := s.App.Plates.FillAgain(r.Context(), s.Hand(r), plateNumber(r))
	s.plateDone(w, r, err, leftText(left))
}

func (s *Room) addToPlate(w http.ResponseWriter, r *http.Request) {
	code := kit.Word(r, "code")
	s.plateDone(w, r, s.App.Plates.AddToPlate(r.Context(), s.Hand(r), plateNumber(r), code), code+" lies on the plate.")
}

func (s *Room) addSpare(w http.ResponseWriter, r *http.Request) {
	code := kit.Word(r, "code")
	s.plateDone(w, r, s.App.Plates.AddSpare(r.Context(), s.Hand(r), plateNumber(r), code), "A spare of "+code+" lies on the plate.")
}

func (s *Room) liftOff(w http.ResponseWriter, r *http.Request) {
	code := kit.Word(r, "code")
	s.plateDone(w, r, s.App.Plates.LiftOff(r.Context(), s.Hand(r), plateNumber(r), code), code+" waits again.")
}

func (s *Room) discardPlate(w http.ResponseWriter, r *http.Request) {
	if err := s.App.Plates.DiscardPlate(r.Context(), s.Hand(r), plateNumber(r)); err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/plates", fmt.Sprintf("The layout of plate %d is discarded; its pieces wait again.", plateNumber(r)))
}

func (s *Room) startRun(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Started kit.Moment       `form:"started"`
		RoomC   kit.Optional     `form:"room" label:"Room temperature"`
		Sure    bool             `form:"sure"`
		Looked  map[string]bool  `form:"looked"`
		Changed map[int64]string `form:"changed"`
		Lot     int64            `form:"lot"`
	}](r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	started := studio.Started{At: s.JustNow(r, f.Started), RoomC: f.RoomC.Pointer(), Sure: f.Sure, Looked: f.Looked, Changed: f.Changed, Lot: studio.Lot{ID: f.Lot}}
	told := "The run is on."
	if room := started.RoomC; room != nil && *room < process.ColdC {
		told = fmt.Sprintf("The run is on. The room is %.1f °C: below 20 °C resin fails more often. Warm it.", *room)
	}
	s.plateDone(w, r, s.App.Plates.StartRun(r.Context(), s.Hand(r), plateNumber(r), started), told)
}

// replaced notes that a part of a machine was replaced.
func (s *Room) replaced(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Machine int64  `form:"machine"`
		What    string `form:"what"`
	}](r)
	if err == nil {
		err = s.App.Plates.Replaced(r.Context(), s.Hand(r), f.Machine, f.What)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/plates", "Noted: its count begins again.")
}

// ends says which run ends next and which have ended and stand full, for a page that tells it.
func (s *Room) ends(w http.ResponseWriter, r *http.Request) {
	machines, on, err := s.App.Plates.OnMachines(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	names := map[int64]string{}
	for _, m := range machines {
		names[m.ID] = m.Name
	}
	type end struct {
		Plate   int    `json:"plate"`
		Machine string `json:"machine"`
		AtMS    int64  `json:"at_ms"`
	}
	out := struct {
		Runs []end `json:"runs"` // that are on, by when they should end
		Full []end `json:"full"` // that have ended and want emptying
	}{[]end{}, []end{}}
	for _, pl := range on {
		if pl.State == studio.PlateRunning {
			out.Runs = append(out.Runs, end{pl.Number, names[pl.MachineID], pl.Run.Due().UnixMilli()})
		} else {
			out.Full = append(out.Full, end{pl.Number, names[pl.MachineID], pl.Run.Ended.UnixMilli()})
		}
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(out) // the reader may have gone
}

// putRight notes what was put right on a machine that is held.
func (s *Room) putRight(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Machine int64  `form:"machine"`
		Model   int64  `form:"model"` // 0: it is the machine's doing
		Cause   string `form:"cause"`
		Did     string `form:"did"`
	}](r)
	if err == nil {
		err = s.App.Plates.PutRight(r.Context(), s.Hand(r), studio.Remedy{MachineID: f.Machine, ModelID: f.Model, Cause: f.Cause, Did: f.Did})
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/plates", map[bool]string{true: "Noted: it may be laid again.", false: "Noted: the machine may run again."}[f.Model != 0])
}

func (s *Room) endRun(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Ended kit.Moment `form:"ended"`
	}](r)
	if err == nil {
		err = s.App.Plates.FinishRun(r.Context(), s.Hand(r), plateNumber(r), s.JustNow(r, f.Ended), nil)
	}
	s.plateDone(w, r, err, "The end is noted. Empty the plate when your gloves are on.")
}

// missing notes what somebody says of a run that its machine does not show.
func (s *Room) missing(w http.ResponseWriter, r *http.Request) {
	what := kit.Word(r, "what")
	told := map[string]string{studio.MissingWatch: "It is watched on. You are asked again when the machine shows something else.",
		studio.MissingAgain: "It is started again, from its beginning.", studio.MissingFailed: "The run is noted as failed. Empty the plate, and say why."}[what]
	s.plateDone(w, r, s.App.Plates.SayOfMissing(r.Context(), s.Hand(r), plateNumber(r), what), told)
}

func (s *Room) emptyPlate(w http.ResponseWriter, r *http.Request) {
	clean, err := s.photos(w, r)
	defer clean()
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	f, err := kit.Decode[struct {
		Outcomes map[int64]string       `form:"outcome"`
		Causes   map[int64]string       `form:"cause"`
		Flaws    map[int64]string       `form:"flaw"`
		Mends    map[int64]string       `form:"mend"`
		Minutes  map[int64]kit.Optional `form:"mend_minutes" label:"Minutes to mend it"`
		Layers   map[int64]int          `form:"layer" label:"The layer it failed at"`
		Photos   map[int64]string       `form:"kept_photo"`
		Ended    kit.Moment             `form:"ended"`
		Note     string                 `form:"note"`
		Sure     bool                   `form:"sure"`
	}](r)
	outcomes := map[int64]studio.Outcome{}
	for id, what := range f.Outcomes {
		out := studio.Outcome{What: what}
		switch what {
		case studio.Rework, studio.HiddenFlaw:
			out.Cause, out.Stage, out.Minutes = strings.TrimSpace(f.Flaws[id]), route.StageKind(f.Mends[id]), f.Minutes[id].Value
		case studio.Failed, studio.ScrappedOff:
			out.Cause, out.Layer = f.Causes[id], f.Layers[id]
		}
		outcomes[id] = out
	}
	if err == nil {
		err = s.App.Plates.EmptyPlate(r.Context(), s.Hand(r), plateNumber(r), plates.Emptied{Outcomes: outcomes, Ended: s.JustNow(r, f.Ended), Note: f.Note, Sure: f.Sure, Photos: f.Photos})
	}
	s.plateDone(w, r, err, "The plate is empty. Good pieces are on the bench; failed ones wait for another plate.")
}

// photos keeps the photographs that a form brings and puts the names they are kept under into it, so
// that they are not asked for again when the form is.
func (s *Room) photos(w http.ResponseWriter, r *http.Request) (clean func(), err error) {
	files, clean, err := kit.UploadsBy(w, r, "photo")
	if err != nil {
		return clean, err
	}
	for _, id := range slices.Sorted(maps.Keys(files)) {
		kept, err := s.KeepPicture(r, files[id], pictures.AsSeen)
		if err != nil {
			return clean, err
		}
		r.PostForm.Set("kept_photo["+id+"]", kept[0])
		r.Form.Set("kept_photo["+id+"]", kept[0])
	}
	return clean, nil
}

func (s *Room) takeBackPlate(w http.ResponseWriter, r *http.Request) {
	s.plateDone(w, r, s.App.Plates.TakeBackPlate(r.Context(), s.Hand(r), plateNumber(r)), "Taken back: the plate stands full again. The logbook keeps both.")
}
