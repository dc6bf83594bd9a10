package app

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"visator/app/act"
	"visator/app/desk"
	"visator/app/edit"
	"visator/core/contact"
	"visator/core/rest"
	"visator/core/stage"
	"visator/store"
)

// QueueSoon is for work that a person waits for.
const QueueSoon = "soon"

// SettleArgs is the job that lets things fall until they rest.
type SettleArgs struct {
	Settling string `json:"settling" river:"unique"`
}

func (SettleArgs) Kind() string { return "settle" }

func settleJob() *river.InsertOpts { return &river.InsertOpts{Queue: QueueSoon, MaxAttempts: 3} }

// Settle begins to let placements fall and tip until they rest, one on the other, by
// their true triangles; beside all else that is done to the set. A seed turns each a
// little before it falls; 0 lets them fall as they are. What comes of it is one edit of
// whoever began it.
func (a *App) Settle(ctx context.Context, setID string, ids []string, seed uint64) (store.Settling, error) {
	return a.beginSettle(ctx, setID, ids, seed, true)
}

// SettleNow is Settle that is waited for, without the queue.
func (a *App) SettleNow(ctx context.Context, setID string, ids []string, seed uint64) error {
	s, err := a.beginSettle(ctx, setID, ids, seed, false)
	if err != nil {
		return err
	}
	return a.RunSettle(ctx, s.ID)
}

func (a *App) beginSettle(ctx context.Context, setID string, ids []string, seed uint64, queued bool) (
	s store.Settling, err error) {
	if len(ids) == 0 {
		return s, act.Wrong("Select what is to settle first.")
	}
	if len(ids) > edit.MaxHeap {
		return s, act.Wrong("A heap has at most %d things; settle it in parts.", edit.MaxHeap)
	}
	if err := act.Named(ids...); err != nil {
		return s, err
	}
	if seed > math.MaxInt64 {
		return s, act.Wrong("A seed is 0 to %d.", int64(math.MaxInt64))
	}
	production, err := a.ProductionOf(ctx, setID)
	if err != nil {
		return s, err
	}
	err = a.Store.Tx(ctx, func(tx pgx.Tx) error {
		set, err := store.GetSet(ctx, tx, setID)
		if err != nil {
			return act.NotThere(err, "The set")
		}
		rows, err := a.Free(ctx, tx, set, once(ids), "what is to settle")
		if err != nil {
			return err
		}
		var was []edit.Stood
		for _, r := range rows {
			was = append(was, edit.StoodAt(&r.Placement))
		}
		running, err := store.Settlings(ctx, tx, setID)
		if err != nil {
			return err
		}
		for _, r := range running {
			var other []edit.Stood
			if err := json.Unmarshal(r.Was, &other); err != nil {
				return err
			}
			if slices.ContainsFunc(other, func(o edit.Stood) bool { return slices.Contains(ids, o.ID) }) {
				return act.Wrong("%s settles already.", r.Name)
			}
		}
		raw, err := json.Marshal(was)
		if err != nil {
			return err
		}
		s = store.Settling{ID: store.NewID(), SetID: setID, Name: rows[0].Name, Actor: act.ActorOf(ctx),
			Was: raw, Seed: int64(seed), Created: time.Now()}
		if n := len(rows); n > 1 {
			s.Name = fmt.Sprintf("%s and %d more", s.Name, n-1)
		}
		if queued {
			job, err := a.Queue.InsertTx(ctx, tx, SettleArgs{s.ID}, settleJob())
			if err != nil {
				return err
			}
			s.JobID = &job.Job.ID
		}
		if err := store.InsertSettling(ctx, tx, s); err != nil {
			return err
		}
		a.tellSettle(ctx, tx, production, &s, 0, "")
		return nil
	})
	return s, err
}

// once is a list without what comes again in it.
func once(ids []string) (out []string) {
	for _, id := range ids {
		if !slices.Contains(out, id) {
			out = append(out, id)
		}
	}
	return out
}

// tellSettle announces how far a settling is, 1 when it is over, and what came of it.
func (a *App) tellSettle(ctx context.Context, q store.Querier, production string, s *store.Settling, done float64,
	say string) {
	_ = act.Announce(ctx, q, act.Announcement{Production: production, What: "settling", ID: s.ID, Set: s.SetID,
		Name:     s.Name,
		Progress: done, Say: say})
}

// StopSettle gives up a settling: everything stays where it stands.
func (a *App) StopSettle(ctx context.Context, setID, id string) error {
	s, err := store.GetSettling(ctx, a.Store.Pool, id)
	if errors.Is(err, store.ErrNotFound) || err == nil && s.SetID != setID {
		return nil // it is over
	}
	if err != nil {
		return err
	}
	if err := a.endSettle(ctx, &s, "Stopped: everything stays where it stood."); err != nil {
		return err
	}
	if s.JobID != nil {
		if _, err := a.Queue.JobCancel(ctx, *s.JobID); err != nil && !errors.Is(err, river.ErrNotFound) {
			return err
		}
	}
	return nil
}

// endSettle takes a settling off the list, and says what came of it.
func (a *App) endSettle(ctx context.Context, s *store.Settling, say string) error {
	tag, err := a.Store.Pool.Exec(ctx, "delete from settling where id = $1", s.ID)
	if err != nil || tag.RowsAffected() == 0 {
		return err
	}
	production, err := a.ProductionOf(ctx, s.SetID)
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	a.tellSettle(ctx, a.Store.Pool, production, s, 1, say)
	return nil
}

// FailSettle says why a settling cannot be done.
func (a *App) FailSettle(ctx context.Context, id, why string) error {
	s, err := store.GetSettling(ctx, a.Store.Pool, id)
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	return a.endSettle(ctx, &s, s.Name+" did not settle: "+why)
}

// RunSettle lets things fall until they rest, and puts them there.
func (a *App) RunSettle(ctx context.Context, id string) error {
	s, err := store.GetSettling(ctx, a.Store.Pool, id)
	if errors.Is(err, store.ErrNotFound) {
		return nil // stopped meanwhile
	}
	if err != nil {
		return err
	}
	say, err := a.settle(ctx, &s)
	var p *act.Problem
	if errors.As(err, &p) {
		return a.FailSettle(ctx, id, p.Say)
	}
	if err != nil {
		return err
	}
	return a.endSettle(ctx, &s, say)
}

func (a *App) settle(ctx context.Context, s *store.Settling) (say string, err error) {
	var was []edit.Stood
	if err := json.Unmarshal(s.Was, &was); err != nil {
		return "", err
	}
	w, err := a.Snapshot(ctx, a.Store.Pool, s.SetID)
	if err != nil {
		return "", err
	}
	things, err := a.FeltNow(ctx, w)
	if err != nil {
		return "", err
	}
	ids := make([]string, len(was))
	for i := range was {
		ids[i] = was[i].ID
	}
	others, _ := desk.Obstacles(things, func(id string) bool { return slices.Contains(ids, id) })
	var bodies []*contact.Placed
	var rows []*stage.Placement
	chance := rand.New(rand.NewPCG(uint64(s.Seed), 1))
	for _, o := range was {
		k := slices.IndexFunc(w.PlacementRows, func(r store.PlacementRow) bool { return r.ID == o.ID })
		if k < 0 {
			return "", act.Wrong("one of them was deleted meanwhile")
		}
		p := w.PlacementRows[k].Placement
		if s.Seed != 0 {
			p.Yaw += 2 * math.Pi * chance.Float64()
			p.Pitch += 0.5 * (chance.Float64() - 0.5)
			p.Roll += 0.5 * (chance.Float64() - 0.5)
		}
		b, err := w.Felt(ctx, &p)
		if err != nil {
			return "", err
		}
		if b == nil {
			return "", act.Wrong("%s has no shape yet; wait until it is made", p.Name)
		}
		bodies, rows = append(bodies, b), append(rows, &p)
	}
	began, told := time.Now(), time.Now()
	found, ok := rest.Heap(bodies, others, func(done float64) bool {
		if now := time.Now(); now.Sub(told) > settleTells {
			told = now
			tag, err := a.Store.Pool.Exec(ctx, "update settling set progress = $2 where id = $1", s.ID, done)
			if err == nil && tag.RowsAffected() == 0 {
				return false // stopped
			}
			a.tellSettle(ctx, a.Store.Pool, w.Production.ID, s, done, "")
		}
		return ctx.Err() == nil
	})
	if !ok {
		return "", ctx.Err()
	}
	after := make([]edit.Stood, len(rows))
	for i, p := range rows {
		if found.Bodies[i] != bodies[i] { // what rests already stays to the last digit
			p.SetTransform(&found.Bodies[i].World)
		}
		after[i] = edit.StoodAt(p)
	}
	// The edit has the settling's name: made again after a crash, it is not made twice.
	_, err = a.Edit(act.WithActor(ctx, s.Actor), s.SetID, desk.Request{Revision: -1,
		Commands: []desk.Command{edit.Do(&edit.Rest{Was: was, Now: after})}, Request: "settle " + s.ID})
	if err != nil {
		return "", err
	}
	say = fmt.Sprintf("%s came to rest, %.1f s of falling in %.1f s.", s.Name, found.Time, time.Since(began).Seconds())
	if n := len(found.Moving); n > 0 {
		say += fmt.Sprintf(" %d of %d had not come to rest yet, as things that roll or slide for long: "+
			"settle again to let them go on.", n, len(rows))
	}
	if found.Hollow > 0.01 {
		say += fmt.Sprintf(" Hollows less than %.0f mm deep were felt as filled.", 1000*found.Hollow)
	}
	return say, nil
}

// settleTells is how often a settling says how far it is.
const settleTells = 200 * time.Millisecond
