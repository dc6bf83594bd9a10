package takes

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"visator/app/act"
	"visator/store"
)

// Queued is a take that waits, is made, is held or failed, of whatever production.
type Queued struct {
	ID         string     `json:"id"`
	Name       string     `json:"name"`
	Kind       string     `json:"kind"`
	State      string     `json:"state"`
	Progress   float64    `json:"progress"`
	Note       string     `json:"note"`
	Left       float64    `json:"left"` // seconds, about; 0: not known
	Size       string     `json:"size"`
	Due        *time.Time `json:"due"`
	Asked      time.Time  `json:"asked"`
	Set        string     `json:"set"`
	SetName    string     `json:"setName"`
	Production string     `json:"production"`
}

// queuedMost is how many are listed: two productions' worth.
const queuedMost = 2 * maxQueued

// queueOrder is the order in which takes are made: by when their jobs are to begin, as they were asked for, or put.
const queueOrder = `select t.id, t.name, t.kind, t.state, t.progress, t.note, coalesce((t.result->>'left')::float8, 0),
	coalesce(t.settings->>'width', '') || ' × ' || coalesce(t.settings->>'height', ''), t.due, t.created, t.set_id,
	s.doc->>'name', p.name
	from take t join sets s on s.id = t.set_id join production p on p.id = s.production_id
	left join river_job j on j.id = t.job_id
	where t.binned is null and s.binned is null and p.binned is null and (t.state in ('working', 'waiting', 'held') or
		t.state = 'failed' and t.created > now() - interval '7 days')
	order by t.state = 'failed', t.state = 'held', t.state <> 'working', j.scheduled_at, t.created, t.id limit $1`

// Waiting lists what waits and is made, in its order, then what is held, then what failed within a week.
func (a *Operator) Waiting(ctx context.Context) ([]Queued, error) {
	list, err := store.List[Queued](ctx, a.Store.Pool, queueOrder, queuedMost)
	if list == nil {
		list = []Queued{}
	}
	return list, err
}

// Order is what is done to a take in the queue.
type Order struct {
	// Do is "hold", "go on" (what is held, failed or was stopped), "before" (another that waits) or "at" (a time).
	Do    string     `json:"do"`
	Other string     `json:"other,omitempty"`
	At    *time.Time `json:"at,omitempty"`
}

// farthest is how far ahead a take is put off.
const farthest = 31 * 24 * time.Hour

// Arrange changes when a take is made.
func (a *Operator) Arrange(ctx context.Context, id string, o Order) error {
	t, err := a.Store.Take(ctx, id)
	if err != nil {
		return act.NotThere(err, "The take")
	}
	set, err := store.GetSet(ctx, a.Store.Pool, t.SetID)
	if err != nil {
		return act.NotThere(err, "The set")
	}
	switch o.Do {
	case "hold":
		err = a.hold(ctx, &t)
	case "go on":
		return a.again(ctx, &t, nil)
	case "before":
		err = a.before(ctx, &t, o.Other)
	case "at":
		if o.At == nil || time.Until(*o.At) > farthest {
			return act.Wrong("A take is put off by a month at most: say when it is to be made.")
		}
		if t.State == "waiting" {
			if err := a.hold(ctx, &t); err != nil {
				return err
			}
		}
		return a.again(ctx, &t, o.At)
	default:
		return act.Wrong("A take is held, goes on, is made before another or at a time; %.40q is none of these.", o.Do)
	}
	if err == nil {
		act.Tell(ctx, a.Store.Pool, set.ProductionID, "take")
	}
	return err
}

// hold keeps a take from being made until it is told to go on. What is made of it stays.
func (a *Operator) hold(ctx context.Context, t *store.Take) error {
	tag, err := a.Store.Pool.Exec(ctx, "update take set state = 'held', note = 'held by hand', due = null "+
		"where id = $1 and state in ('waiting', 'working')", t.ID)
	if err != nil {
		return err
	}
	if tag.RowsAffected() == 0 {
		return act.Wrong("%s neither waits nor is made: it cannot be held.", t.Name)
	}
	if t.JobID == nil {
		return nil
	}
	if _, err := a.Queue.JobCancel(ctx, *t.JobID); err != nil && !errors.Is(err, river.ErrNotFound) {
		return err
	}
	return nil
}

// again puts a take that is held or ended into the queue, with its settings and result as they are told, at a time or
// now.
func (a *Operator) again(ctx context.Context, t *store.Take, at *time.Time) error {
	set, err := store.GetSet(ctx, a.Store.Pool, t.SetID)
	if err != nil {
		return act.NotThere(err, "The set")
	}
	return a.Store.Tx(ctx, func(tx pgx.Tx) error {
		job, err := a.queue(ctx, tx, set.ProductionID, t.ID, at)
		if err != nil {
			return err
		}
		err = store.Again(ctx, tx, t, job, at)
		if errors.Is(err, store.ErrNotFound) {
			return act.Wrong("%s waits or is made already: stop it first, or wait.", t.Name)
		}
		act.Tell(ctx, tx, set.ProductionID, "take")
		return err
	})
}

// before has a take made before another that waits.
func (a *Operator) before(ctx context.Context, t *store.Take, other string) error {
	o, err := a.Store.Take(ctx, other)
	if err != nil {
		return act.NotThere(err, "The other take")
	}
	if t.State != "waiting" || o.State != "waiting" || t.JobID == nil || o.JobID == nil || t.ID == o.ID {
		return act.Wrong("Only takes that wait are put before one another.")
	}
	_, err = a.Store.Pool.Exec(ctx, `update river_job set scheduled_at = (select scheduled_at - interval '1 millisecond'
		from river_job where id = $2) where id = $1 and state in ('available', 'scheduled', 'retryable')`,
		*t.JobID, *o.JobID)
	return err
}

// maxSizes is how many sizes all shots are rendered in at once.
const maxSizes = 4

// ShootAll asks for a still of each kept shot of a set, in each of some widths.
func (a *Operator) ShootAll(ctx context.Context, setID string, s Settings, widths []int) (n int, err error) {
	if len(widths) < 1 || len(widths) > maxSizes {
		return 0, act.Wrong("All shots are rendered in one to %d sizes.", maxSizes)
	}
	shots, err := store.Shots(ctx, a.Store.Pool, setID)
	if err != nil {
		return 0, err
	}
	if len(shots) == 0 {
		return 0, act.Wrong("No shot is kept yet.")
	}
	s.Region = nil
	for _, w := range widths {
		for _, k := range shots {
			raw, err := json.Marshal(s) // each has settings of its own
			if err != nil {
				return n, err
			}
			var own Settings
			if err := json.Unmarshal(raw, &own); err != nil {
				return n, err
			}
			own.Width, own.Height = w, 0
			if _, err := a.Shoot(ctx, setID, k.ID, "still", own); err != nil {
				return n, err
			}
			n++
		}
	}
	return n, nil
}
