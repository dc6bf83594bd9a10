package act

import (
	"context"
	"encoding/json"

	"visator/store"
)

// Channel is the name under which changes are announced in the database.
const Channel = "visator"

// Announcement is what listeners are told: look again at the production.
type Announcement struct {
	Production string `json:"production"`
	What       string `json:"what"` // edit, arrival, take, options, settling
	Revision   int64  `json:"revision,omitempty"`
	// Of a settling: which, of what, how far it is (1: over), and what came of it.
	ID       string  `json:"id,omitempty"`
	Set      string  `json:"set,omitempty"`
	Name     string  `json:"name,omitempty"`
	Progress float64 `json:"progress,omitempty"`
	Say      string  `json:"say,omitempty"`
}

// Tell announces a change; within a transaction it is heard when that ends.
func Tell(ctx context.Context, q store.Querier, production, what string) {
	_ = Announce(ctx, q, Announcement{Production: production, What: what}) // who is not told looks again by and by
}

// Announce announces a change with what there is to say of it.
func Announce(ctx context.Context, q store.Querier, say Announcement) error {
	raw, err := json.Marshal(say)
	if err != nil {
		return err
	}
	_, err = q.Exec(ctx, "select pg_notify($1, $2)", Channel, string(raw))
	return err
}
