package store

import (
	"context"
	"encoding/json"
	"time"
)

// Parcel is what is handed over as one file.
type Parcel struct {
	ID           string          `json:"id"`
	ProductionID string          `json:"production"`
	Name         string          `json:"name"`
	State        string          `json:"state"`
	Progress     float64         `json:"progress"`
	Note         string          `json:"note"`
	Settings     json.RawMessage `json:"settings"`
	Result       json.RawMessage `json:"result"`
	JobID        *int64          `json:"-"`
	Created      time.Time       `json:"created"`
}

const parcelColumns = "id, production_id, name, state, progress, note, settings, result, job_id, created"

// Parcels are those of a production, the newest first.
func Parcels(ctx context.Context, q Querier, production string) ([]Parcel, error) {
	return List[Parcel](ctx, q,
		"select "+parcelColumns+" from parcel where production_id = $1 order by created desc, id", production)
}

// GetParcel reads one; ErrNotFound when it is not there.
func GetParcel(ctx context.Context, q Querier, id string) (Parcel, error) {
	return One[Parcel](ctx, q, "select "+parcelColumns+" from parcel where id = $1", id)
}

// InsertParcel puts in a new one.
func InsertParcel(ctx context.Context, q Querier, p *Parcel) error {
	_, err := q.Exec(ctx, "insert into parcel (id, production_id, name, state, settings, job_id) values "+
		"($1, $2, $3, $4, $5, $6)", p.ID, p.ProductionID, p.Name, p.State, p.Settings, p.JobID)
	return err
}

// SetParcel stores how far one is; one that was cancelled stays so.
func SetParcel(ctx context.Context, q Querier, id, state string, progress float64, note string, result any) error {
	raw, err := json.Marshal(result)
	if err != nil {
		return err
	}
	_, err = q.Exec(ctx, "update parcel set state = $2, progress = $3, note = $4, result = $5 where id = $1 and "+
		"state in ('waiting', 'working')", id, state, progress, Plain(note), raw)
	return err
}
