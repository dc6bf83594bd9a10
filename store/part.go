package store

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"
)

// Part is a part of a take that is made by one of several workers.
type Part struct {
	N      int
	State  string // open, claimed, done
	Worker string
	Result json.RawMessage
}

// Parts are those of a take, in order.
func (s *Store) Parts(ctx context.Context, take string) ([]Part, error) {
	return List[Part](ctx, s.Pool, "select n, state, worker, result from take_part where take_id = $1 order by n", take)
}

// OpenParts makes sure that a take has the parts 0 to n-1. Those that are done stay so.
func (s *Store) OpenParts(ctx context.Context, take string, n int) error {
	_, err := s.Pool.Exec(ctx, "insert into take_part (take_id, n) select $1, generate_series(0, $2 - 1) "+
		"on conflict do nothing", take, n)
	return err
}

// DropParts forgets the parts of a take.
func (s *Store) DropParts(ctx context.Context, take string) error {
	_, err := s.Pool.Exec(ctx, "delete from take_part where take_id = $1", take)
	return err
}

// Silent is after how long a worker that is not heard of has lost its part.
const Silent = 20 * time.Second

// ClaimPart gives a worker the first part of a take that is open, or whose worker is not heard of any more; ErrNotFound
// where there is none, or the take is not being made.
func (s *Store) ClaimPart(ctx context.Context, take, worker string) (n int, err error) {
	err = s.Pool.QueryRow(ctx, `update take_part set state = 'claimed', worker = $2, beat = now()
		where take_id = $1 and n = (select p.n from take_part p join take t on t.id = p.take_id
			where p.take_id = $1 and t.state = 'working' and
			(p.state = 'open' or p.state = 'claimed' and p.beat < now() - $3::interval)
			order by p.n limit 1 for update of p skip locked)
		returning n`, take, worker, Silent).Scan(&n)
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrNotFound
	}
	return n, err
}

// BeatPart says that a worker is at its part still; ErrOvertaken that it is not its own any more, or not wanted.
func (s *Store) BeatPart(ctx context.Context, take string, n int, worker string) error {
	tag, err := s.Pool.Exec(ctx, "update take_part p set beat = now() from take t where p.take_id = $1 and p.n = $2 "+
		"and p.worker = $3 and p.state = 'claimed' and t.id = p.take_id and t.state = 'working'", take, n, worker)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrOvertaken
	}
	return err
}

// PartDone keeps what came of a part; ErrOvertaken where another has it.
func (s *Store) PartDone(ctx context.Context, take string, n int, worker string, result any) error {
	raw, err := json.Marshal(result)
	if err != nil {
		return err
	}
	tag, err := s.Pool.Exec(ctx, "update take_part set state = 'done', result = $4 where take_id = $1 and n = $2 and "+
		"worker = $3 and state = 'claimed'", take, n, worker, raw)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrOvertaken
	}
	return err
}

// GiveBackPart opens a part that a worker could not make.
func (s *Store) GiveBackPart(ctx context.Context, take string, n int, worker string) error {
	_, err := s.Pool.Exec(ctx, "update take_part set state = 'open', worker = '' where take_id = $1 and n = $2 and "+
		"worker = $3 and state = 'claimed'", take, n, worker)
	return err
}
