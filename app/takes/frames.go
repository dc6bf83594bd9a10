package takes

import (
	"context"
	"encoding/json"
	"os"

	"visator/app/act"
)

// FramesAgain has some frames of a move that ended made again, from the first to the last, counted from 1: those that
// are there stay until the new ones are made.
func (a *Operator) FramesAgain(ctx context.Context, id string, from, to int) error {
	t, err := a.Store.Take(ctx, id)
	if err != nil {
		return act.NotThere(err, "The take")
	}
	_, r, err := Of(&t)
	if err != nil {
		return err
	}
	if t.Kind != "move" || len(r.Frames) == 0 {
		return act.Wrong("%s has no frames.", t.Name)
	}
	if from < 1 || to < from || to > len(r.Frames) {
		return act.Wrong("%s has the frames 1 to %d; those from %d to %d cannot be made again.", t.Name, len(r.Frames),
			from, to)
	}
	for i := from - 1; i < to; i++ {
		r.Frames[i] = ""
	}
	if err := a.Store.DropParts(ctx, id); err != nil { // of a time that was stopped
		return err
	}
	if t.Result, err = json.Marshal(&r); err != nil {
		return err
	}
	return a.again(ctx, &t, nil)
}

// Look is a quick look at a move that is being made, as MP4: frames that are missing are stood for by the ones before.
func (a *Operator) Look(ctx context.Context, id string) (path string, done func(), err error) {
	t, err := a.Store.Take(ctx, id)
	if err != nil {
		return "", nil, act.NotThere(err, "The take")
	}
	sh := &shooting{a: a, t: t}
	if sh.s, sh.r, err = Of(&t); err != nil {
		return "", nil, err
	}
	last := ""
	for i, hash := range sh.r.Frames {
		if hash != "" {
			last = hash
		}
		sh.r.Frames[i] = last
	}
	if sh.s.Move == nil || len(sh.r.Frames) == 0 || sh.r.Frames[0] == "" {
		return "", nil, act.Wrong("No frame of %s is made yet.", t.Name)
	}
	dir, err := os.MkdirTemp("", "visator-look-*")
	if err != nil {
		return "", nil, err
	}
	done = func() { os.RemoveAll(dir) }
	if err := sh.frames(ctx, dir); err != nil {
		done()
		return "", nil, err
	}
	if path, err = sh.encode(ctx, dir, quick); err != nil {
		done()
		return "", nil, err
	}
	return path, done, nil
}
