package develop

import (
	"bytes"
	"context"
	"encoding/json"
	"math"

	"visator/app/act"
	"visator/app/library"
	"visator/core/finish"
	"visator/store"
)

// mostFinishes is how many finishes are kept by name: what is more nobody finds.
const mostFinishes = 200

// finishKind is what a finish is on the shelf.
const finishKind = "finish"

// KeptFinishes are those that are kept by name, of all productions.
func (a *Lab) KeptFinishes(ctx context.Context) ([]store.ShelvedAnywhere, error) {
	return store.ShelfOfAll(ctx, a.Store.Pool, finishKind, mostFinishes)
}

// KeepFinish keeps a finish by a name.
func (a *Lab) KeepFinish(ctx context.Context, production, name string, c finish.Chain) error {
	name, err := library.ShelfName(finishKind, name)
	if err != nil {
		return err
	}
	if err := c.Check(); err != nil {
		return act.Wrong("%v.", err)
	}
	if err := a.Learned(ctx, c); err != nil {
		return err
	}
	doc, err := json.Marshal(c)
	if err != nil {
		return err
	}
	return a.KeepAtHand(ctx, production, &store.Shelved{Kind: finishKind, Name: name, Doc: doc}, mostFinishes)
}

// Written is a finished take in an encoding, with 8 or 16 bits a value, as PNG.
func (a *Lab) Written(ctx context.Context, id, encoding string, bits int) (name string, png []byte, err error) {
	e, err := finish.EncodingOf(encoding)
	if err != nil {
		return "", nil, act.Wrong("%v.", err)
	}
	if bits != 8 && bits != 16 {
		return "", nil, act.Wrong("A picture is written with 8 or 16 bits a value, not %d.", bits)
	}
	t, s, r, err := a.still(ctx, id)
	if err != nil {
		return "", nil, err
	}
	if err := a.Learned(ctx, s.Finish); err != nil {
		return "", nil, err
	}
	l, err := a.linear(ctx, r.EXR, math.MaxInt32)
	if err != nil {
		return "", nil, err
	}
	var out bytes.Buffer
	err = finish.WritePNG(&out, l, &s.View, s.Finish, e, bits)
	return t.Name + ", " + e.Name + ".png", out.Bytes(), err
}
