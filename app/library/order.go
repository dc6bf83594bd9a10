package library

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"time"

	"github.com/jackc/pgx/v5"

	"visator/app/act"
	"visator/core/intake/credit"
	"visator/store"
	"visator/supplier"
)

// Catalogue asks the supplier what is on offer.
func (a *Library) Catalogue(ctx context.Context, find string) ([]supplier.Offer, error) {
	if a.Supplier == nil {
		return nil, act.Wrong("No supplier is set up: start the program with --supplier and its address.")
	}
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	list, err := a.Supplier.Catalogue(ctx, find)
	if err != nil {
		return nil, act.Wrong("%v", err)
	}
	return list, nil
}

// Order fetches a supplier's file as an arrival, in the background, with the
// credit and the price that the supplier states.
func (a *Library) Order(ctx context.Context, production, goods, file string) (ar store.Arrival, err error) {
	list, err := a.Catalogue(ctx, "")
	if err != nil {
		return ar, err
	}
	for _, o := range list {
		for _, f := range o.Formats {
			if o.ID != goods || f.File != file {
				continue
			}
			c := credit.Credit{Author: o.Author, Licence: o.Licence, Source: a.Supplier.Address + "/files/" + file,
				Price: o.Price, Currency: o.Currency, From: "the supplier"}
			ar = store.Arrival{ID: store.NewID(), ProductionID: production, Name: file, Bytes: f.Bytes,
				State: "waiting", Fetch: file, Files: json.RawMessage("[]")}
			if ar.Credit, err = json.Marshal(c); err != nil {
				return ar, err
			}
			return ar, a.Locked(ctx, production, func(tx pgx.Tx, _ store.Production) error {
				if err := store.InsertArrival(ctx, tx, ar); err != nil {
					return err
				}
				act.Tell(ctx, tx, production, "arrival")
				return a.QueueIntake(ctx, tx, &ar)
			})
		}
	}
	return ar, act.Wrong("%s is not on offer any more.", file)
}

// fetch brings a supplier's file to where uploads are.
func (r *reading) fetch(ctx context.Context) error {
	if r.a.Supplier == nil {
		return errors.New("no supplier is set up: start the program with --supplier and its address")
	}
	var told time.Time
	body := r.a.Supplier.Fetch(ctx, r.ar.Fetch, func(have, of int64) {
		if time.Since(told) < 300*time.Millisecond {
			return
		}
		told = time.Now()
		_ = r.step(ctx, 0.3*float64(have)/float64(max(of, have, 1)),
			fmt.Sprintf("fetching, %.1f of %.1f MB", float64(have)/1e6, float64(of)/1e6))
	})
	hash, size, err := r.a.Store.PutBlob(ctx, io.Reader(body), MaxUpload)
	if err != nil && ctx.Err() == nil && !store.Full(err) {
		return fmt.Errorf("%s was not fetched: %v", r.ar.Name, err) // in words: it is no fault of the database
	}
	if err != nil {
		return err
	}
	if old, err := store.ArrivalOf(ctx, r.a.Store.Pool, r.ar.ProductionID, hash); err == nil && old.ID != r.ar.ID {
		return fmt.Errorf("this file is here already, as %s", old.Name)
	}
	r.ar.Blob, r.ar.Bytes, r.ar.Fetch = hash, size, ""
	_, err = r.a.Store.Pool.Exec(ctx, "update arrival set blob = $2, bytes = $3, fetching = '' where id = $1", r.ar.ID,
		hash, size)
	return err
}
