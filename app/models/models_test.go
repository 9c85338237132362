package models_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app"
	"sakuji/app/apptest"
	"sakuji/app/change"
	"sakuji/app/jobs"
	"sakuji/app/models"
	"sakuji/core/mesh"
	"sakuji/core/mesh/meshtest"
	"sakuji/core/route"
	"sakuji/studio"
)

// broken is a ring with a hole torn into it, a speck beside it and facets turned.
func broken() []byte {
	ring := meshtest.Ring(20, 6, 40, 24)
	return mesh.WriteSTL(meshtest.Together(ring.Part(8, ring.Len()), meshtest.Box(mesh.Vec{X: 40, Y: 40}, mesh.Vec{X: 0.2, Y: 0.2, Z: 0.2})))
}

func TestTwentyFilesAtOnce(t *testing.T) {
	s := apptest.New(t)
	no := apptest.Enquiry(s)
	var files []models.Kept
	for k := range 20 {
		files = append(files, apptest.Keep(s, fmt.Sprintf("part-%02d.stl", k), mesh.WriteSTL(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 10 + float64(k), Y: 20, Z: 30}))))
	}
	files = append(files, apptest.Keep(s, "bad.stl", []byte("solid x\nfacet nonsense")), apptest.Keep(s, "again.stl", mesh.WriteSTL(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 10, Y: 20, Z: 30}))))
	batch, err := s.Orders.Receive(s.Ctx, s.Owner, no, files, false)
	require.NoError(t, err)
	jobs, err := s.Jobs.Await(s.Ctx, batch, time.Minute)
	require.NoError(t, err)
	require.Len(t, jobs, 22)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.Len(t, sheet.Items, 1, "a kit becomes one item")
	assert.Len(t, sheet.Items[0].Parts, 21, "a part for each file that could be read")
	require.Len(t, sheet.Jobs, 1, "the one that could not is told until it is put out of sight")
	assert.Contains(t, sheet.Jobs[0].Note, "bad.stl could not be read")
	require.NoError(t, s.Jobs.CancelJob(s.Ctx, sheet.Jobs[0].ID))
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.Empty(t, sheet.Jobs)
	faults, err := s.Store.Check(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, faults, "nothing of the bad file is left behind")

	// The same file again is known at once: nothing is left to wait for.
	batch, err = s.Orders.Receive(s.Ctx, s.Owner, no, files[:1], false)
	require.NoError(t, err)
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.Len(t, sheet.Items, 2)
	assert.Equal(t, sheet.Items[0].Parts[0].ModelID, sheet.Items[1].Parts[0].ModelID, "the same file twice is one model")
	jobs, err = s.Jobs.Await(s.Ctx, batch, 0)
	require.NoError(t, err)
	assert.Equal(t, studio.JobDone, jobs[0].State)
}

func TestJobsSurviveARestart(t *testing.T) {
	s := apptest.New(t)
	no := apptest.Enquiry(s)
	_, err := s.Orders.Receive(s.Ctx, s.Owner, no, []models.Kept{apptest.Keep(s, "vase.stl", apptest.Vase())}, false)
	require.NoError(t, err)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.Len(t, sheet.Jobs, 1)
	assert.Empty(t, sheet.Items)
	// The program ended in the middle of it: the row says it runs. Another one takes up.
	again := app.New(s.Store, s.Clock)
	ctx, stop := context.WithCancel(s.Ctx)
	worked := make(chan struct{})
	go func() { again.Jobs.Work(ctx, slog.New(slog.DiscardHandler)); close(worked) }()
	require.Eventually(t, func() bool {
		sheet, err = again.Quotes.OrderSheet(s.Ctx, no)
		return err == nil && len(sheet.Items) == 1
	}, 3*time.Minute, 20*time.Millisecond)
	m := sheet.Items[0].Parts[0].Model
	require.Eventually(t, func() bool { // and then it is looked at closely by itself
		v, err := again.Models.ModelSheet(s.Ctx, m.ID)
		return err == nil && v.Analysis != nil
	}, 3*time.Minute, 20*time.Millisecond)
	stop()
	<-worked
	assert.Equal(t, "Vase", title(t, again, m.ID))
}

func title(t *testing.T, a *app.App, id int64) string {
	v, err := a.Models.ModelSheet(t.Context(), id)
	require.NoError(t, err)
	return v.Design.Name
}

func TestACancelledFileIsNotKept(t *testing.T) {
	s := apptest.New(t)
	no := apptest.Enquiry(s)
	batch, err := s.Orders.Receive(s.Ctx, s.Owner, no, []models.Kept{apptest.Keep(s, "vase.stl", apptest.Vase()), apptest.Keep(s, "slab.stl", apptest.Slab())}, false)
	require.NoError(t, err)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.Len(t, sheet.Jobs, 2)
	require.NoError(t, s.Jobs.CancelJob(s.Ctx, sheet.Jobs[0].ID))
	_, err = s.Jobs.Await(s.Ctx, batch, time.Minute)
	require.NoError(t, err)
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.Len(t, sheet.Items, 1, "the other one became an item all the same")
	assert.Equal(t, "slab.stl", sheet.Items[0].Parts[0].Model.Name)
	faults, err := s.Store.Check(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, faults)
	files, err := os.ReadDir(filepath.Join(s.Dir, "files"))
	require.NoError(t, err)
	assert.Len(t, files, 1, "of the cancelled file nothing is on disk")
}

func TestVersionsOfAModel(t *testing.T) {
	s := apptest.New(t)
	no := apptest.Enquiry(s)
	items, problems, err := s.Orders.AddItem(s.Ctx, s.Owner, no, []models.Upload{apptest.Upload("bracelet.stl", broken())}, false)
	require.NoError(t, err)
	require.Empty(t, problems)
	s.Jobs.Settle(s.Ctx)
	first := items[0].Parts[0].Model
	v, err := s.Models.ModelSheet(s.Ctx, first.ID)
	require.NoError(t, err)
	require.NotNil(t, v.Analysis)
	assert.True(t, v.Analysis.Mendable())
	require.Len(t, v.Advice, 3)
	assert.Equal(t, mesh.FaultHole, v.Advice[0].Kind, "worst first")
	assert.Equal(t, mesh.FaultSpeck, v.Advice[1].Kind)
	assert.Equal(t, "thin", v.Advice[2].Kind, "the speck itself is a thin place")
	assert.NotEmpty(t, v.Advice[0].Spots)

	mended := apptest.Remade(s, first.ID, studio.JobMend, studio.JobOptions{})
	require.Equal(t, studio.JobDone, mended.State, mended.Note)
	v, err = s.Models.ModelSheet(s.Ctx, mended.MadeID)
	require.NoError(t, err)
	assert.True(t, v.Model.Measures.Watertight)
	assert.Equal(t, "bracelet, mended.stl", v.Model.Name)
	assert.Contains(t, v.Model.Did, mesh.Done{What: mesh.FilledHoles, Count: 1})
	require.Len(t, v.Versions, 2)
	assert.Equal(t, first.ID, v.Versions[1].ID, "the original is kept")
	assert.NotEmpty(t, v.Versions[0].Changes)
	kept, err := s.Models.Model(s.Ctx, first.ID)
	require.NoError(t, err)
	assert.False(t, kept.Measures.Watertight)

	reduced := apptest.Remade(s, mended.MadeID, studio.JobReduce, studio.JobOptions{Triangles: 600})
	require.Equal(t, studio.JobDone, reduced.State, reduced.Note)
	m, err := s.Models.Model(s.Ctx, reduced.MadeID)
	require.NoError(t, err)
	assert.Equal(t, 600, m.Measures.Triangles)
	assert.Equal(t, studio.Reduced, m.How)
	nothing := apptest.Remade(s, mended.MadeID, studio.JobMend, studio.JobOptions{})
	assert.Equal(t, studio.JobFailed, nothing.State)
	assert.Contains(t, nothing.Note, "nothing")
	for _, bad := range []studio.JobOptions{{}, {Triangles: 3}, {DeviationMM: -1}, {DeviationMM: math.NaN()}} {
		_, err := s.Models.Remake(s.Ctx, s.Owner, first.ID, studio.JobReduce, bad)
		var refusal *change.Refusal
		assert.ErrorAs(t, err, &refusal)
	}

	// The order prints the mended one from now on, and every format of it is to be had.
	require.NoError(t, s.Orders.UseVersion(s.Ctx, s.Owner, no, items[0].Parts[0].ID, mended.MadeID))
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.Equal(t, mended.MadeID, sheet.Items[0].Parts[0].ModelID)
	for _, format := range []string{"stl", "obj", "3mf"} {
		var b bytes.Buffer
		require.NoError(t, s.Models.Download(s.Ctx, mended.MadeID, format, &b))
		back, err := mesh.Read(b.Bytes(), mesh.Limits{})
		require.NoError(t, err, format)
		assert.InEpsilon(t, sheet.Items[0].Parts[0].Model.Measures.VolumeMM3, mesh.Measure(back).VolumeMM3, 1e-6)
	}
	picture, err := s.Models.Still(s.Ctx, first.SHA)
	require.NoError(t, err)
	assert.True(t, bytes.HasPrefix(picture, []byte("\x89PNG")))
}

func TestARevisedFile(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(2, route.Primed)
	s.Accept(no)
	s.Print()
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	part := sheet.Items[0].Parts[0]
	taller := mesh.WriteSTL(meshtest.Turned([][2]float64{{0, 0}, {9, 0}, {12, 15}, {6, 30}, {8, 60}, {0, 60}}, 48))
	batch, err := s.Models.Revise(s.Ctx, s.Owner, part.ModelID, apptest.Keep(s, "vase-2.stl", taller))
	require.NoError(t, err)
	jobs, err := s.Jobs.Await(s.Ctx, batch, time.Minute)
	require.NoError(t, err)
	require.Equal(t, studio.JobDone, jobs[0].State, jobs[0].Note)
	v, err := s.Models.ModelSheet(s.Ctx, jobs[0].MadeID)
	require.NoError(t, err)
	assert.Equal(t, studio.Revised, v.Model.How)
	assert.Equal(t, "Vase", v.Design.Name, "it stays the same design")
	text := fmt.Sprint(v.Versions[0].Changes)
	assert.Contains(t, text, "24 × 24 × 40 mm")
	assert.Contains(t, text, "24 × 24 × 60 mm")
	uses, err := s.Quotes.UsePrices(s.Ctx, v)
	require.NoError(t, err)
	require.Len(t, uses, 1)
	u := uses[0]
	assert.Equal(t, 2, u.Pieces.Printed(), "what it means for pieces already printed")
	require.True(t, u.Priced)
	assert.Greater(t, u.NetShown.Minor, u.Net.Minor, "a taller vase costs more")
	// The very same file once more is refused, and says what it is.
	_, err = s.Models.Revise(s.Ctx, s.Owner, part.ModelID, apptest.Keep(s, "vase-3.stl", taller))
	var refusal *change.Refusal
	require.ErrorAs(t, err, &refusal)
	assert.Contains(t, refusal.Text, "already here")
	faults, err := s.Store.Check(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, faults)
}

func TestBodiesBecomeParts(t *testing.T) {
	s := apptest.New(t)
	no := apptest.Enquiry(s)
	var kit bytes.Buffer
	require.NoError(t, mesh.Write3MF(&kit, []mesh.Object{
		{Name: "cup", Soup: meshtest.Turned([][2]float64{{0, 0}, {9, 0}, {12, 15}, {0, 15}}, 32)},
		{Name: "saucer", Soup: meshtest.Box(mesh.Vec{X: 30}, mesh.Vec{X: 20, Y: 20, Z: 3})},
	}))
	items, _, err := s.Orders.AddItem(s.Ctx, s.Owner, no, []models.Upload{apptest.Upload("tea.3mf", kit.Bytes())}, false)
	require.NoError(t, err)
	part := items[0].Parts[0]
	var refusal *change.Refusal
	require.ErrorAs(t, s.Quotes.UseBodies(s.Ctx, s.Owner, no, part.ID, 0), &refusal, "not taken apart yet")
	j := apptest.Remade(s, part.ModelID, studio.JobBodies, studio.JobOptions{})
	require.Equal(t, studio.JobDone, j.State, j.Note)
	require.NoError(t, s.Quotes.UseBodies(s.Ctx, s.Owner, no, part.ID, 0))
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.Len(t, sheet.Items[0].Parts, 2)
	var names []string
	for _, p := range sheet.Items[0].Parts {
		names = append(names, p.Name)
	}
	assert.ElementsMatch(t, []string{"Tea, cup", "Tea, saucer"}, names)
	shelf, err := s.Models.Shelf(s.Ctx, "")
	require.NoError(t, err)
	require.Len(t, shelf, 1, "bodies do not stand on the shelf by themselves")
	assert.Equal(t, part.ModelID, shelf[0].ModelID)
	assert.Equal(t, []string{no}, shelf[0].Orders)
	one := apptest.Remade(s, sheet.Items[0].Parts[0].ModelID, studio.JobBodies, studio.JobOptions{})
	assert.Contains(t, one.Note, "is one body")
}

func TestAUnitIsGuessedAndTakenOnlyWhenAsked(t *testing.T) {
	s := apptest.New(t)
	no := apptest.Enquiry(s)
	items, _, err := s.Orders.AddItem(s.Ctx, s.Owner, no, []models.Upload{apptest.Upload("scan.stl", mesh.WriteSTL(meshtest.Box(mesh.Vec{}, mesh.Vec{X: 0.04, Y: 0.05, Z: 0.08})))}, false)
	require.NoError(t, err)
	m := items[0].Parts[0].Model
	assert.InDelta(t, 0.08, m.Measures.SizeMM[2], 1e-6)
	v, err := s.Models.ModelSheet(s.Ctx, m.ID)
	require.NoError(t, err)
	require.Equal(t, "unit", v.Advice[0].Kind)
	assert.Contains(t, v.Advice[0].Text, "metres")
	j := apptest.Remade(s, m.ID, studio.JobUnit, studio.JobOptions{Unit: "m"})
	require.Equal(t, studio.JobDone, j.State, j.Note)
	made, err := s.Models.Model(s.Ctx, j.MadeID)
	require.NoError(t, err)
	assert.InDelta(t, 80, made.Measures.SizeMM[2], 1e-4)
	_, needed := made.UnitGuess()
	assert.False(t, needed, "and nobody is asked again")
	_, err = s.Models.Remake(s.Ctx, s.Owner, m.ID, studio.JobUnit, studio.JobOptions{Unit: "furlong"})
	assert.Error(t, err)
}

func TestLicencesStopAQuote(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Raw)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	require.Len(t, sheet.Marks, 2)
	assert.Contains(t, sheet.Marks[0], "its licence is not noted yet")
	assert.Contains(t, sheet.Marks[1], "has not allowed them to be shown", "both permissions are off until given")
	id := sheet.Items[0].Parts[0].ModelID
	require.NoError(t, s.Models.SaveLicence(s.Ctx, s.Owner, id, models.LicenceForm{Licence: studio.LicencePersonal, Source: "a download"}))
	_, err = s.Quotes.SendQuote(s.Ctx, s.Owner, no, "  ")
	var refusal *change.Refusal
	require.ErrorAs(t, err, &refusal)
	assert.Contains(t, refusal.Text, "personal use only")
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "its maker said yes by mail")
	require.NoError(t, err)
	assert.Equal(t, 1, q.Revision)
	log, err := s.Logbook(s.Ctx, 0)
	require.NoError(t, err)
	text := fmt.Sprint(log)
	assert.Contains(t, text, "licence overruled")
	assert.Contains(t, text, "its maker said yes by mail")

	until := s.Clock.At.AddDate(0, 0, 2)
	require.NoError(t, s.Models.SaveLicence(s.Ctx, s.Owner, id, models.LicenceForm{Licence: studio.LicenceSubscription, Fee: "8", Until: until}))
	_, err = s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err, "while the subscription runs")
	s.Clock.Pass(72 * time.Hour)
	_, err = s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.ErrorAs(t, err, &refusal)
	assert.Contains(t, refusal.Text, "ended on")
	assert.ErrorAs(t, s.Models.SaveLicence(s.Ctx, s.Owner, id, models.LicenceForm{Licence: studio.LicenceSubscription}), &refusal)
	assert.ErrorAs(t, s.Models.SaveLicence(s.Ctx, s.Owner, id, models.LicenceForm{Licence: "borrowed"}), &refusal)
	assert.ErrorAs(t, s.Models.SaveLicence(s.Ctx, s.Owner, id, models.LicenceForm{Licence: studio.LicenceOwn, Fee: "ten"}), &refusal)
}

func TestPermissionsAreLogged(t *testing.T) {
	s := apptest.New(t)
	c, err := s.Orders.SaveClient(s.Ctx, s.Owner, studio.Client{Name: "Moth Post Guild"})
	require.NoError(t, err)
	c.MayShow = true
	_, err = s.Orders.SaveClient(s.Ctx, s.Owner, c)
	require.NoError(t, err)
	c.MayShow = false
	_, err = s.Orders.SaveClient(s.Ctx, s.Owner, c)
	require.NoError(t, err)
	log, err := s.Logbook(s.Ctx, 0)
	require.NoError(t, err)
	var events []string
	for _, e := range log {
		if strings.HasPrefix(e.Event, "permission") {
			events = append(events, e.Event+" "+e.Text)
		}
	}
	assert.Equal(t, []string{"permission taken back Moth Post Guild: pictures shown in public", "permission given Moth Post Guild: pictures shown in public"}, events)
}

func TestSizeSheet(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Painted)
	s.Jobs.Settle(s.Ctx)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	item := sheet.Items[0].ID
	v, err := s.Quotes.SizeSheet(s.Ctx, no, item, studio.SizeRule{By: studio.ByHeight, Height: 20})
	require.NoError(t, err)
	require.NotNil(t, v.Then)
	assert.InDelta(t, 0.5, v.Then.Scale, 1e-9)
	assert.InEpsilon(t, v.Now.VolumeMM3/8, v.Then.VolumeMM3, 1e-9, "volume with the cube")
	assert.InEpsilon(t, v.Now.AreaMM2/4, v.Then.AreaMM2, 1e-9, "surface with the square")
	assert.InDelta(t, 20, v.Then.SizeMM[2], 1e-6, "height as it is")
	assert.Less(t, v.Then.Net.Minor, v.Now.Net.Minor)
	assert.Less(t, v.Then.MachineMinutes, v.Now.MachineMinutes)
	after, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.Equal(t, 1.0, after.Items[0].Scale, "looking changes nothing")
	assert.Equal(t, sheet.Items[0].NetMinor, after.Items[0].NetMinor)

	big, err := s.Quotes.SizeSheet(s.Ctx, no, item, studio.SizeRule{By: studio.ByRatio, Ratio: 3.2})
	require.NoError(t, err)
	assert.Contains(t, strings.Join(big.Then.Cautions, " "), "detail turns soft")
	small, err := s.Quotes.SizeSheet(s.Ctx, no, item, studio.SizeRule{By: studio.ByRatio, Ratio: 0.03})
	require.NoError(t, err)
	assert.Contains(t, strings.Join(small.Then.Cautions, " "), "thinnest wall")
	none, err := s.Quotes.SizeSheet(s.Ctx, no, item, studio.SizeRule{By: studio.ByScale, OneTo: 12})
	require.NoError(t, err)
	assert.Nil(t, none.Then)
	assert.Contains(t, none.Why, "how tall the real thing is")

	it, err := s.Quotes.TakeSize(s.Ctx, s.Owner, no, item, studio.SizeRule{By: studio.ByScale, OneTo: 18, Real: 1260})
	require.NoError(t, err)
	assert.InDelta(t, 1260.0/18/40, it.Scale, 1e-9)
	assert.Equal(t, "1:18 of 1.26 m", it.Rule.Text())
	s.Change(no, item, 3, route.Primed, math.Round(it.Scale*1e4)/1e4) // as the order's form sends it back
	after, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.Equal(t, it.Scale, after.Items[0].Scale, "the rule keeps its last digit")
	assert.Equal(t, it.Rule, after.Items[0].Rule)
	s.Change(no, item, 3, route.Primed, 2)
	after, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.Empty(t, after.Items[0].Rule.By, "a size typed by hand ends the rule")
	_, err = s.Quotes.TakeSize(s.Ctx, s.Owner, no, item, studio.SizeRule{By: studio.ByHeight, Height: 9e6})
	var refusal *change.Refusal
	assert.ErrorAs(t, err, &refusal)
}

func TestLayersGoOnByThemselves(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Raw)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	id := sheet.Items[0].Parts[0].ModelID
	_, err = s.Models.Layers(s.Ctx, id, 0.02, 0)
	require.ErrorIs(t, err, jobs.ErrUnderway, "nobody waits for it")
	l, err := s.Models.Layers(s.Ctx, id, 0.02, time.Minute)
	require.NoError(t, err)
	assert.Len(t, l.Figures, 2000)
	assert.Empty(t, l.Islands)
	again, err := s.Models.Layers(s.Ctx, id, 0.02, time.Minute)
	require.NoError(t, err)
	assert.Same(t, &l.Figures[0], &again.Figures[0], "it is remembered")
	volume := 0.0
	for _, f := range l.Figures {
		volume += f.AreaMM2 * l.LayerMM
	}
	assert.InEpsilon(t, sheet.Items[0].Parts[0].Model.Measures.VolumeMM3, volume, 1e-3)
	usual, err := s.Models.Layers(s.Ctx, id, 0, time.Minute)
	require.NoError(t, err)
	assert.Equal(t, 0.03, usual.LayerMM, "as the studio's resin machine does it")
	for _, bad := range []float64{-1, 0.001, 6, math.NaN()} {
		_, err = s.Models.Layers(s.Ctx, id, bad, time.Minute)
		var refusal *change.Refusal
		assert.ErrorAs(t, err, &refusal)
	}
	_, err = s.Models.Layers(s.Ctx, 999, 0.05, time.Minute)
	assert.True(t, change.NotFound(err))
}

func TestFilesForAnOrderThatIsOverAreNotKept(t *testing.T) {
	s := apptest.New(t)
	no := apptest.Enquiry(s)
	require.NoError(t, s.Quotes.CancelOrder(s.Ctx, s.Owner, no, "the toad hopped off"))
	_, err := s.Orders.Receive(s.Ctx, s.Owner, no, []models.Kept{apptest.Keep(s, "vase.stl", apptest.Vase())}, false)
	var refusal *change.Refusal
	require.ErrorAs(t, err, &refusal)
	files, err := os.ReadDir(filepath.Join(s.Dir, "files"))
	require.NoError(t, err)
	assert.Empty(t, files)
	// An order that ends while its file is read gets no item; the model stands on the shelf.
	late := apptest.Enquiry(s)
	batch, err := s.Orders.Receive(s.Ctx, s.Owner, late, []models.Kept{apptest.Keep(s, "slab.stl", apptest.Slab())}, false)
	require.NoError(t, err)
	require.NoError(t, s.Quotes.CancelOrder(s.Ctx, s.Owner, late, "too late"))
	jobs, err := s.Jobs.Await(s.Ctx, batch, time.Minute)
	require.NoError(t, err)
	assert.Equal(t, studio.JobDone, jobs[0].State)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, late)
	require.NoError(t, err)
	assert.Empty(t, sheet.Items)
	shelf, err := s.Models.Shelf(s.Ctx, "slab")
	require.NoError(t, err)
	assert.Len(t, shelf, 1)
}

func TestLimitsAreSettings(t *testing.T) {
	s := apptest.New(t)
	s.Models.Limits = models.Limits{UploadBytes: 2000, Triangles: 10}
	_, err := s.Models.Keep("large.stl", bytes.NewReader(make([]byte, 2001)))
	var refusal *change.Refusal
	require.ErrorAs(t, err, &refusal)
	assert.Contains(t, refusal.Text, "large.stl")
	_, problems, err := s.Orders.AddItem(s.Ctx, s.Owner, apptest.Enquiry(s), []models.Upload{apptest.Upload("slab.stl", apptest.Slab())}, false)
	require.NoError(t, err)
	require.Len(t, problems, 1)
	assert.Contains(t, problems[0], "at most 10 are read", "a block of twelve is over it")
	files, err := os.ReadDir(filepath.Join(s.Dir, "files"))
	require.NoError(t, err)
	assert.Empty(t, files)
}

// Forty requests for layers of different heights are worked out a few at a time; what is
// too much at once is refused in words.
func TestLayersAreBounded(t *testing.T) {
	s := apptest.New(t)
	no := s.Order(1, route.Raw)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	id := sheet.Items[0].Parts[0].ModelID
	before, refused := runtime.NumGoroutine(), 0
	for i := range 40 {
		_, err = s.Models.Layers(s.Ctx, id, 0.011+0.0001*float64(i), 0)
		var refusal *change.Refusal
		if errors.As(err, &refusal) {
			refused++
			assert.Contains(t, refusal.Text, "at once")
			continue
		}
		require.ErrorIs(t, err, jobs.ErrUnderway)
	}
	assert.Positive(t, refused)
	assert.Eventually(t, func() bool { return runtime.NumGoroutine() < before+8+2*runtime.NumCPU() }, 5*time.Second, time.Millisecond, "one answer is worked out at a time, on all processors")
	l, err := s.Models.Layers(s.Ctx, id, 0.011, time.Minute)
	require.NoError(t, err, "what was asked for first is still answered")
	assert.NotEmpty(t, l.Figures)
}
