package setup

import (
	"context"
	"slices"
	"strings"

	"sakuji/app/change"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/store"
	"sakuji/studio"
)

// GearForm is what can be said about a machine or a material.
type GearForm struct {
	Name    string
	Process string
	Active  bool
	Figures map[rates.FigureKey]float64
	From    string // the starting machine or material to take figures from
}

// start returns the figures a new machine or material begins with: those of the
// kind named, else of the first of the process.
func start(kinds []rates.Template, f GearForm) (rates.Set, string) {
	for _, k := range kinds {
		if k.Name == f.From || f.From == "" && k.Process == f.Process {
			return k.Figures, k.Process
		}
	}
	return nil, f.Process
}

// over lays a form's values over figures; what differs is the studio's own.
func over(base rates.Set, values map[rates.FigureKey]float64) (rates.Set, error) {
	out := base.Filled(nil)
	for key, v := range values {
		f, known := out[key]
		if !known || f.Value == v {
			continue
		}
		if !rates.Sane(v) {
			return nil, change.Refuse("%s: %g %s is hard to believe.", studio.UpperFirst(f.Label), v, f.Unit)
		}
		f.Value, f.Source = v, rates.Ours
		out[key] = f
	}
	for _, key := range []rates.FigureKey{"layer", "width", "depth", "height", "line", "density"} {
		if f, has := out[key]; has && f.Value <= 0 {
			return nil, change.Refuse("%s: more than 0 %s.", studio.UpperFirst(f.Label), f.Unit)
		}
	}
	return out, nil
}

// Templates are the studio's own machines to begin another from, as one more of the kind.
func Templates(machines []studio.Machine) (out []rates.Template) {
	for _, m := range machines {
		out = append(out, rates.Template{Name: "another " + m.Name, Process: m.Process, Figures: m.Figures})
	}
	return out
}

// SaveMachine adds a machine (id 0) or changes one.
func (a *Room) SaveMachine(ctx context.Context, who change.Actor, id int64, f GearForm) (m studio.Machine, err error) {
	err = a.Do(ctx, who, func(d change.Change) error {
		machines, err := d.Machines()
		if err != nil {
			return err
		}
		for i := range machines {
			machines[i] = machines[i].Completed()
		}
		g, err := fitted(machines, slices.Concat(rates.Starting().Machines, Templates(machines)), id, f, "machine")
		if err != nil {
			return err
		}
		m = studio.Machine(g)
		if err := d.Tx.SaveMachine(&m); err != nil {
			return err
		}
		if err := noteTuned(d, m, machines); err != nil {
			return err
		}
		return d.Note("machine saved", change.About{}, "%s, %s", m.Name, m.Process)
	})
	return m, err
}

// noteTuned notes in a machine's log which of its figures have changed.
func noteTuned(d change.Change, m studio.Machine, before []studio.Machine) error {
	at := slices.IndexFunc(before, func(b studio.Machine) bool { return b.ID == m.ID })
	if at < 0 {
		return d.AddTuning(&studio.Tuning{MachineID: m.ID, PersonID: d.Who.ID, At: d.Now, Did: "set up"})
	}
	if did := m.Retuned(before[at]); did != "" {
		return d.AddTuning(&studio.Tuning{MachineID: m.ID, PersonID: d.Who.ID, At: d.Now, Did: did})
	}
	return nil
}

// SaveReach keeps what is said of a machine beside its figures.
func (a *Room) SaveReach(ctx context.Context, who change.Actor, id int64, r studio.Reach) error {
	return a.Do(ctx, who, func(d change.Change) error {
		machines, err := d.Machines()
		if err != nil {
			return err
		}
		at := slices.IndexFunc(machines, func(m studio.Machine) bool { return m.ID == id })
		if at < 0 {
			return store.ErrNotFound
		}
		m, err := machines[at].Reached(r)
		if err != nil {
			return change.Refused(err)
		}
		if err := d.Tx.SaveReach(m); err != nil {
			return err
		}
		return d.Note("machine saved", change.About{}, "%s: its bed, its hours, its materials and its address", m.Name)
	})
}

// SaveMaterial adds a material (id 0) or changes one.
func (a *Room) SaveMaterial(ctx context.Context, who change.Actor, id int64, f GearForm) (m studio.Material, err error) {
	err = a.Do(ctx, who, func(d change.Change) error {
		materials, err := d.Materials()
		if err != nil {
			return err
		}
		g, err := fitted(materials, rates.Starting().Materials, id, f, "material")
		if err != nil {
			return err
		}
		m = studio.Material(g)
		if err := d.Tx.SaveMaterial(&m); err != nil {
			return err
		}
		return d.Note("material saved", change.About{}, "%s, %s", m.Name, m.Process)
	})
	return m, err
}

// fitted lays a form over the gear of an id, or over what a new one starts from.
func fitted[T studio.Machine | studio.Material](there []T, starts []rates.Template, id int64, f GearForm, what string) (g studio.Gear, err error) {
	f.Name = strings.TrimSpace(f.Name)
	for _, t := range there {
		if other := studio.Gear(t); other.ID == id {
			g = other
		} else if strings.EqualFold(other.Name, f.Name) {
			return g, change.Refuse("Another %s is already called %s.", what, other.Name)
		}
	}
	if id != 0 && g.ID == 0 {
		return g, store.ErrNotFound
	}
	if g.ID == 0 {
		g.Figures, g.Process = start(starts, f)
	}
	g.Name, g.Active = f.Name, f.Active
	if err := kindOK(g.Name, g.Process, what); err != nil {
		return g, err
	}
	g.Figures, err = over(g.Figures, f.Figures)
	return g, err
}

func kindOK(name, processName, what string) error {
	if name == "" {
		return change.Refuse("A %s needs a name.", what)
	}
	if !process.Known(processName) {
		return change.Refuse("A %s is for %s.", what, process.OrOf())
	}
	return nil
}
