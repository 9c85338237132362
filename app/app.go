// Package app is the studio at work. Each part of the work is a room of its own, which
// imports only rooms below it; here they are put together, from the ground up.
package app

import (
	"sakuji/app/backups"
	"sakuji/app/change"
	"sakuji/app/delivery"
	"sakuji/app/jobs"
	"sakuji/app/models"
	"sakuji/app/money"
	"sakuji/app/orders"
	"sakuji/app/paint"
	"sakuji/app/pictures"
	"sakuji/app/pieces"
	"sakuji/app/plan"
	"sakuji/app/plates"
	"sakuji/app/quotes"
	"sakuji/app/setup"
	"sakuji/app/stock"
	"sakuji/app/today"
	"sakuji/store"
)

// App is every room of the studio.
type App struct {
	change.Base
	Jobs     *jobs.Queue
	Setup    *setup.Room
	Models   *models.Room
	Orders   *orders.Room
	Pictures *pictures.Room
	Paint    *paint.Room
	Pieces   *pieces.Room
	Quotes   *quotes.Room
	Plates   *plates.Room
	Plan     *plan.Room
	Stock    *stock.Room
	Delivery *delivery.Room
	Money    *money.Room
	Today    *today.Room
	Backups  *backups.Room
}

// New opens the rooms over a studio's data.
func New(st *store.Store, clock change.Clock) *App {
	base := change.Base{Store: st, Clock: clock}
	a := &App{Base: base, Jobs: jobs.New(base), Setup: setup.New(base), Paint: paint.New(base), Pieces: pieces.New(base), Money: money.New(base), Stock: stock.New(base), Backups: backups.New(base)}
	a.Pictures = pictures.New(base, a.Jobs)
	a.Plates = plates.New(base, a.Jobs)
	a.Plan = plan.New(base, a.Plates)
	a.Today = today.New(base, a.Backups, a.Plan)
	a.Models = models.New(base, a.Jobs)
	a.Orders = orders.New(base, a.Models, a.Pictures, a.Jobs)
	a.Quotes = quotes.New(base, a.Orders, a.Plan)
	a.Delivery = delivery.New(base, a.Quotes)
	return a
}
