package setup_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/orders"
	"sakuji/app/setup"
	"sakuji/core/rates"
	"sakuji/studio"
)

func TestPeopleAndPasswords(t *testing.T) {
	s := apptest.New(t)
	for _, name := range []string{"Ilse Karg", "ik", "ILSE KARG"} {
		p, err := s.Setup.SignIn(s.Ctx, name, apptest.Password)
		require.NoError(t, err, name)
		assert.Equal(t, s.Owner.ID, p.ID)
	}
	_, err := s.Setup.SignIn(s.Ctx, "Ilse Karg", "wrong")
	apptest.Refusal(t, err, "do not belong together")
	_, err = s.Setup.SignIn(s.Ctx, "Nobody", apptest.Password)
	apptest.Refusal(t, err, "do not belong together")
	_, err = s.Setup.FirstOwner(s.Ctx, setup.PersonForm{Name: "Second", Password: "long-enough-now"})
	apptest.Refusal(t, err, "already has an owner")
	_, err = s.Setup.SavePerson(s.Ctx, s.Owner, s.Owner.ID, setup.PersonForm{Name: "Ilse Karg", Role: studio.Bench, Active: true})
	apptest.Refusal(t, err, "only owner")
	_, err = s.Setup.SavePerson(s.Ctx, s.Owner, 0, setup.PersonForm{Name: "Ida Kern", Role: studio.Bench, Active: true})
	apptest.Refusal(t, err, "already stamps with IK")
	require.NoError(t, s.Setup.SetPassword(s.Ctx, "JT", "another-password"))
	_, err = s.Setup.SignIn(s.Ctx, "JT", "another-password")
	require.NoError(t, err)
	p, err := s.Setup.Person(s.Ctx, s.Bench.ID)
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(p.PasswordHash, "$argon2id$"))
	apptest.Refusal(t, s.Setup.SetPassword(s.Ctx, "JT", "short"), "12 characters")
}

func TestStudioRefusesNonsense(t *testing.T) {
	s := apptest.New(t)
	good := studio.Studio{Name: "A", Currency: "eur", TaxPercent: 19, TimeZone: "Europe/Berlin", PublicURL: "https://a.example/"}
	require.NoError(t, s.Setup.SaveStudio(s.Ctx, s.Owner, good))
	h, err := s.Setup.Shop(s.Ctx)
	require.NoError(t, err)
	assert.Equal(t, "EUR", h.Studio.Currency)
	assert.Equal(t, "https://a.example", h.Studio.PublicURL)
	good.FirstOrder = 398
	require.NoError(t, s.Setup.SaveStudio(s.Ctx, s.Owner, good))
	o, err := s.Orders.NewOrder(s.Ctx, s.Owner, orders.OrderForm{NewClient: "N", Title: "T", Sure: true})
	require.NoError(t, err)
	assert.Equal(t, "0398", o.Number, "numbers go on from the studio's own")
	for says, change := range map[string]func(*studio.Studio){
		"numbers go on":  func(s *studio.Studio) { s.FirstOrder = -4 },
		"name":           func(s *studio.Studio) { s.Name = " " },
		"three letters":  func(s *studio.Studio) { s.Currency = "€" },
		"0 and 100":      func(s *studio.Studio) { s.TaxPercent = 120 },
		"time zone":      func(s *studio.Studio) { s.TimeZone = "Sorrel/Vale" },
		"public address": func(s *studio.Studio) { s.PublicURL = "javascript:alert(1)" },
		"mail address":   func(s *studio.Studio) { s.Email = "nobody" },
	} {
		bad := good
		change(&bad)
		apptest.Refusal(t, s.Setup.SaveStudio(s.Ctx, s.Owner, bad), says)
	}
	_, err = s.Setup.SaveMachine(s.Ctx, s.Owner, s.Tarn, setup.GearForm{Name: "Tarn", Active: true,
		Figures: map[rates.FigureKey]float64{"layer": 0}})
	apptest.Refusal(t, err, "Layer height")
	m, err := s.Setup.SaveMachine(s.Ctx, s.Owner, s.Tarn, setup.GearForm{Name: "Tarn", Active: true,
		Figures: map[rates.FigureKey]float64{"layer": 0.05}})
	require.NoError(t, err)
	assert.Equal(t, rates.Ours, m.Figures["layer"].Source)
	assert.Equal(t, rates.Memory, m.Figures["width"].Source)
	_, err = s.Setup.SaveMachine(s.Ctx, s.Owner, 0, setup.GearForm{Name: "tarn", Active: true, Process: "resin"})
	apptest.Refusal(t, err, "already called Tarn")
}
