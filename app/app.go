// Package app is what a person can do: each deed checks, calls the core,
// stores the result and writes the log.
package app

import (
	"context"
	"strings"

	"github.com/jackc/pgx/v5"

	"visator/app/act"
	"visator/app/deliver"
	"visator/app/desk"
	"visator/app/develop"
	"visator/app/edit"
	"visator/app/judge"
	"visator/app/library"
	"visator/app/measure"
	"visator/app/outfit"
	"visator/app/query"
	"visator/app/sheet"
	"visator/app/shoot"
	"visator/app/takes"
	"visator/core/light"
	"visator/core/optics"
	"visator/core/stage"
	"visator/core/unit"
	"visator/store"
)

// App does deeds: it is a studio, which is a library, which is a desk for edits.
type App struct {
	*outfit.Outfitter
	*sheet.Office
	*judge.Table
	*deliver.Post
}

// New is an App on a store, without jobs and supplier.
func New(s *store.Store) *App {
	studio := shoot.NewStudio(library.NewLibrary(desk.New(query.New(measure.New(s)), edit.Of)))
	office := sheet.New(studio)
	return &App{
		&outfit.Outfitter{Lab: develop.NewLab(takes.New(studio))}, office, judge.New(s), deliver.New(studio, office)}
}

// NewProduction makes a production with a first, empty set.
func (a *App) NewProduction(ctx context.Context, name, unitName string) (production, set string, err error) {
	name = strings.TrimSpace(name)
	if name == "" || len(name) > 200 {
		return "", "", act.Wrong("Give the production a name of 1 to 200 characters.")
	}
	u, ok := unit.ByName(unitName)
	if !ok {
		u = unit.Metre
	}
	production, set = store.NewID(), store.NewID()
	err = a.Store.Tx(ctx, func(tx pgx.Tx) error {
		if err := store.InsertProduction(ctx, tx, store.Production{ID: production, Name: name, Unit: u.Name,
			Budget: stage.Usual().Budget}); err != nil {
			return err
		}
		return store.PutSet(ctx, tx, production,
			stage.Scene{ID: set, Name: "first set", ShotSettings: stage.ShotSettings{View: optics.Default(),
				Light: light.Default()}}, 0)
	})
	return production, set, err
}

// NewSet makes another, empty set in a production.
func (a *App) NewSet(ctx context.Context, production, name string) (set string, err error) {
	s := stage.Scene{ID: store.NewID(), Name: strings.TrimSpace(name),
		ShotSettings: stage.ShotSettings{View: optics.Default(), Light: light.Default()}}
	if err := s.Check(); err != nil {
		return "", act.Wrong("%v", err)
	}
	return s.ID, a.Locked(ctx, production, func(tx pgx.Tx, _ store.Production) error {
		return store.PutSet(ctx, tx, production, s, 0)
	})
}

// SetOptions changes a production's own settings: its unit and the triangles
// that the lens view may draw. They are not part of the log.
func (a *App) SetOptions(ctx context.Context, production, unitName string, budget int) error {
	o := stage.Options{Unit: unitName, Budget: budget}
	if err := o.Check(); err != nil {
		return act.Wrong("%v", err)
	}
	u, _ := unit.ByName(unitName)
	tag, err := a.Store.Pool.Exec(ctx, "update production set unit = $2, budget = $3 where id = $1", production, u.Name,
		budget)
	if err == nil && tag.RowsAffected() == 0 {
		err = act.NotThere(store.ErrNotFound, "The production")
	}
	if err == nil {
		act.Tell(ctx, a.Store.Pool, production, "options")
	}
	return err
}
