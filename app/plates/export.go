package plates

import (
	"context"
	"fmt"
	"io"
	"slices"
	"strconv"

	"sakuji/app/change"
	"sakuji/app/models"
	"sakuji/core/mesh"
	"sakuji/core/plate"
	"sakuji/format/csv"
	"sakuji/store"
	"sakuji/studio"
)

// mostExported is how many triangles a file of a plate may hold. Source: from memory.
const mostExported = 20_000_000

// Export writes a plate with its pieces in place, for the program that cuts it into layers: as 3MF,
// each shape once and set in its places; as STL, all in one; as SVG, a drawing at full size; as CSV,
// its list. held puts each piece's supports beside it as a body of its own, and lifts it over its raft.
func (a *Room) Export(ctx context.Context, from *models.Room, number int, ending string, held bool, w io.Writer) error {
	var s PlateSheet
	orientations := map[int64]studio.Orientation{}
	err := a.Store.Read(ctx, func(tx *store.Tx) (err error) {
		if s, err = a.plateSheet(tx, number); err != nil {
			return err
		}
		for _, p := range s.Pieces {
			id := p.Piece.OrientationID
			if _, known := orientations[id]; id != 0 && !known {
				if orientations[id], err = tx.Orientation(id); err != nil {
					return err
				}
			}
		}
		return nil
	})
	switch {
	case err != nil:
		return err
	case ending == "svg":
		return plate.WriteSVG(w, s.Machine.Bed(), fmt.Sprintf("Plate %d, %s", number, s.Machine.Name), s.Laid())
	case ending == "csv":
		return s.writeCSV(w)
	case ending != "3mf" && ending != "stl":
		return store.ErrNotFound
	}
	objects, err := s.objects(from, orientations, held)
	if err != nil {
		return err
	}
	if ending == "3mf" {
		return mesh.Write3MF(w, objects)
	}
	_, err = w.Write(mesh.WriteSTL(mesh.InPlace(objects)))
	return err
}

// shape is what copies on a plate have in common in a file.
type shape struct {
	model, orientation int64
	scale              float64
	profile            studio.PrintProfile
}

// objects are the shapes of a plate, each with the places of its copies; with what holds each after it,
// if asked for.
func (s PlateSheet) objects(from *models.Room, orientations map[int64]studio.Orientation, held bool) (out []mesh.Object, err error) {
	known := map[shape]int{}
	triangles := 0
	lift := 0.0
	if held {
		lift = s.Machine.LiftMM()
	}
	for i, l := range s.Laid() {
		p := s.Pieces[i]
		key := shape{p.Piece.ModelID, p.Piece.OrientationID, p.Piece.Scale, p.Piece.Profile}
		at, ok := known[key]
		if !ok {
			soup, err := from.Standing(p.Model, orientations[p.Piece.OrientationID], p.Piece.Scale)
			if err != nil {
				return nil, err
			}
			at = len(out)
			known[key] = at
			out = append(out, mesh.Object{Name: p.Piece.Name, Soup: soup}, mesh.Object{Name: "supports of " + p.Piece.Name})
			if held {
				out[at+1].Soup = s.Shop.Props(soup, s.Machine, p.Piece.Profile)
			}
		}
		place := plate.StandsAt(l.Part.Outline, out[at].Soup.Box.Min, l.Placed)
		place.Shift.Z += lift
		for k := at; k <= at+1; k++ {
			if out[k].Soup == nil {
				continue
			}
			out[k].Places = append(out[k].Places, place)
			triangles += out[k].Soup.Len()
		}
		if triangles > mostExported {
			return nil, change.Refuse("Plate %d has more than %d million triangles: too many for one file.", s.Plate.Number, mostExported/1_000_000)
		}
	}
	return slices.DeleteFunc(out, func(o mesh.Object) bool { return o.Soup == nil }), nil
}

// writeCSV writes what lies on the plate as a list.
func (s PlateSheet) writeCSV(w io.Writer) error {
	number := func(x float64, digits int) csv.Figure { return csv.Figure(strconv.FormatFloat(x, 'f', digits, 64)) }
	var list [][]csv.Cell
	for i, l := range s.Laid() {
		p := s.Pieces[i]
		list = append(list, []csv.Cell{csv.Text(p.Piece.Code), csv.Text(p.Piece.Name), csv.Figure(strconv.Itoa(p.Piece.Attempt)), number(l.XMM, 3), number(l.YMM, 3), number(l.AngleDeg, 2), number(p.Model.PrintHeightMM()*p.Piece.Scale, 2), number(p.Grams, 2)})
	}
	_, err := w.Write(csv.Write([]string{"piece", "name", "attempt", "x_mm", "y_mm", "angle_deg", "height_mm", "grams"}, list))
	return err
}
