package library

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"io"
	"path"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"visator/app/act"
	"visator/core/intake"
	"visator/core/plain"
	"visator/store"
)

// laneOf is the queue of a download of so many bytes.
func laneOf(bytes int64) string {
	if bytes > heavyArrival {
		return QueueHeavy
	}
	return QueueIntake
}

// IntakeArgs is the job that reads an arrival.
type IntakeArgs struct {
	Arrival string `json:"arrival" river:"unique"`
}

// Kind is the job's name in the queue.
func (IntakeArgs) Kind() string { return "intake" }

// Incoming is one file as it comes in. Path is relative to the folder that was
// dropped; a file alone has its name.
type Incoming struct {
	Path string
	Body io.Reader
}

// arrivedFile is a file of an arrival that came as a folder.
type arrivedFile struct {
	Path  string `json:"path"`
	Blob  string `json:"blob"`
	Bytes int64  `json:"bytes"`
}

// Arrive keeps one file and starts its intake. The same content in the same
// production is recognised: its arrival is returned, and twice is true.
func (a *Library) Arrive(ctx context.Context, production, name string, r io.Reader) (ar store.Arrival,
	twice bool, err error) {
	name = path.Base(strings.ReplaceAll(strings.TrimSpace(name), "\\", "/"))
	if !intake.IsWelcome(name) {
		return ar, false,
			act.Wrong("%s is of a kind that is not read here. Drop a model (%s), an archive or folder with "+
				"one, or its pictures.", name, strings.Join(intake.Extensions(), ", "))
	}
	sent := false
	return a.ArriveFolder(ctx, production, name, "", func() (Incoming, error) {
		if sent {
			return Incoming{}, io.EOF
		}
		sent = true
		return Incoming{name, r}, nil
	})
}

// ArriveFolder keeps all files that next gives, until io.EOF, as one arrival
// and starts its intake. forPiece, when set, is a piece whose missing maps are
// looked for in it.
func (a *Library) ArriveFolder(ctx context.Context, production, name, forPiece string,
	next func() (Incoming, error)) (ar store.Arrival, twice bool, err error) {
	if name == "" || name == "." || name == "/" || len(name) > 255 || plain.Text(name) != nil {
		return ar, false, act.Wrong("What arrives needs a name of 1 to 255 characters.")
	}
	if _, err := store.GetProduction(ctx, a.Store.Pool, production); err != nil {
		return ar, false, act.NotThere(err, "The production")
	}
	if forPiece != "" {
		if p, err := store.GetPiece(ctx, a.Store.Pool, forPiece); err != nil || p.ProductionID != production {
			return ar, false, act.NotThere(cmp.Or(err, store.ErrNotFound), "The piece")
		}
	}
	files, err := a.keepFiles(ctx, name, next)
	if err != nil {
		return ar, false, err
	}
	ar = store.Arrival{ID: store.NewID(), ProductionID: production, Name: name, State: "waiting", ForPiece: forPiece,
		Files: json.RawMessage("[]")}
	for _, f := range files {
		ar.Bytes += f.Bytes
	}
	ar.Blob = files[0].Blob
	if len(files) > 1 {
		if ar.Files, err = json.Marshal(files); err != nil {
			return ar, false, err
		}
		sum := sha256.Sum256(ar.Files)
		ar.Blob = hex.EncodeToString(sum[:])
	}
	err = a.Locked(ctx, production, func(tx pgx.Tx, _ store.Production) error {
		old, err := store.ArrivalOf(ctx, tx, production, ar.Blob)
		if err == nil {
			ar, twice = old, true
			// Handed in again, it comes back out of the bin.
			tag, err := tx.Exec(ctx, "update arrival set binned = null where id = $1 and binned is not null", old.ID)
			if err != nil {
				return err
			}
			if tag.RowsAffected() > 0 {
				if err := a.TellBinned(ctx, tx, "arrival", production); err != nil {
					return err
				}
			}
			if forPiece == "" {
				return nil
			}
			// Its maps are looked for again, for this piece.
			_, err = tx.Exec(ctx, "update arrival set for_piece = $2, state = 'waiting' where id = $1", ar.ID, forPiece)
			return cmp.Or(err, a.QueueIntake(ctx, tx, &ar))
		} else if !errors.Is(err, store.ErrNotFound) {
			return err
		}
		if err := store.InsertArrival(ctx, tx, ar); err != nil {
			return err
		}
		if err := a.QueueIntake(ctx, tx, &ar); err != nil {
			return err
		}
		act.Tell(ctx, tx, production, "arrival")
		return nil
	})
	return ar, twice, err
}

func (a *Library) keepFiles(ctx context.Context, name string,
	next func() (Incoming, error)) (files []arrivedFile, err error) {
	if a.Store.Room().None() {
		return nil, act.DiskFull
	}
	var total int64
	for {
		in, err := next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, act.Wrong("%s did not arrive whole: %v. Nothing of it was taken in.", name, err)
		}
		if len(files) >= MaxFiles {
			return nil, act.Wrong("%s holds more than %d files; drop a part of it.", name, MaxFiles)
		}
		hash, size, err := a.Store.PutBlob(ctx, in.Body, MaxUpload)
		switch {
		case err == nil:
		case store.Full(err):
			return nil, act.DiskFull
		case store.Away(err):
			return nil, err
		default:
			return nil, act.Wrong("%s could not be kept: %v. Nothing of it was taken in.", in.Path, err)
		}
		if total += size; total > maxFolder {
			return nil, act.Wrong("%s holds more than %d GB; drop a part of it.", name, maxFolder>>30)
		}
		if err := plain.Text(in.Path); err != nil || len(in.Path) > 1000 {
			return nil, act.Wrong("A file of %s has a name that cannot be written: rename it.", name)
		}
		files = append(files, arrivedFile{in.Path, hash, size})
	}
	if len(files) == 0 {
		return nil, act.Wrong("%s holds no files.", name)
	}
	if len(files) == 1 && files[0].Bytes == 0 {
		return nil, act.Wrong("%s is empty; fetch it again.", files[0].Path)
	}
	slices.SortFunc(files, func(a, b arrivedFile) int { return cmp.Compare(a.Path, b.Path) })
	return files, nil
}

func (a *Library) QueueIntake(ctx context.Context, tx pgx.Tx, ar *store.Arrival) error {
	if a.Queue == nil {
		return nil
	}
	job, err := a.Queue.InsertTx(ctx, tx, IntakeArgs{ar.ID},
		&river.InsertOpts{Queue: laneOf(ar.Bytes), MaxAttempts: intakeTries})
	if err != nil {
		return err
	}
	_, err = tx.Exec(ctx, "update arrival set job_id = $2 where id = $1", ar.ID, job.Job.ID)
	return err
}

// CancelArrival stops an intake; what was made of it stays. ResumeArrival
// takes it up again.
func (a *Library) CancelArrival(ctx context.Context, id string) error {
	ar, err := a.Store.Arrival(ctx, id)
	if err != nil {
		return act.NotThere(err, "The arrival")
	}
	if ar.State != "waiting" && ar.State != "working" {
		return act.Wrong("%s is not being worked on.", ar.Name)
	}
	if _, err := a.Store.Pool.Exec(ctx,
		"update arrival set state = 'cancelled', note = 'stopped by hand' where id = $1", id); err != nil {
		return err
	}
	if ar.JobID != nil && a.Queue != nil {
		_, _ = a.Queue.JobCancel(ctx, *ar.JobID) // it may have ended by itself
	}
	act.Tell(ctx, a.Store.Pool, ar.ProductionID, "arrival")
	return nil
}

// ResumeArrival takes up an intake that was stopped or that failed.
func (a *Library) ResumeArrival(ctx context.Context, id string) error {
	ar, err := a.Store.Arrival(ctx, id)
	if err != nil {
		return act.NotThere(err, "The arrival")
	}
	return a.Store.Tx(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx,
			"update arrival set state = 'waiting', note = '', found = case when state = 'failed' "+
				"then null else found end where id = $1", id); err != nil {
			return err
		}
		act.Tell(ctx, tx, ar.ProductionID, "arrival")
		return a.QueueIntake(ctx, tx, &ar)
	})
}
