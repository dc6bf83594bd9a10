package shoot

import (
	"bytes"
	"context"
	"io"

	"visator/app/act"
	"visator/core/cube"
	"visator/core/finish"
)

// Learned makes sure that the table of a finish's look is known, where it has one.
func (a *Studio) Learned(ctx context.Context, c finish.Chain) error {
	name := c.Unknown()
	if name == "" {
		return nil
	}
	if there, err := a.Store.HasBlob(ctx, name); err != nil || !there {
		if err == nil {
			err = act.Wrong("The look's table %.12s is not kept here: choose a .cube file again, or leave it out.",
				name)
		}
		return err
	}
	data, err := a.Store.ReadBlob(ctx, name)
	if err != nil {
		return err
	}
	table, err := cube.Read(bytes.NewReader(data))
	if err != nil {
		return act.Wrong("The look's table cannot be read: %v.", err)
	}
	finish.Learn(name, table)
	return nil
}

// TakeLook takes in a table for looks, of a .cube file, and returns its name and its title.
func (a *Studio) TakeLook(ctx context.Context, r io.Reader) (name, title string, err error) {
	data, err := io.ReadAll(io.LimitReader(r, cube.MaxBytes+1))
	if err != nil {
		return "", "", err
	}
	table, err := cube.Read(bytes.NewReader(data))
	if err != nil {
		return "", "", act.Wrong("This is no table of a look: %v.", err)
	}
	k, err := a.Store.Put(ctx, bytes.NewReader(data), 0)
	if err != nil {
		return "", "", err
	}
	finish.Learn(k.Hash, table)
	return k.Hash, table.Title, nil
}
