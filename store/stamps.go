package store

import "context"

// Stamps name what a production has as it is at a moment: another name for every change, by the versions in which the
// database holds the rows. They are found without reading the rows.
type Stamps struct {
	Pieces   string // the pieces, what is drawn of them, what they came in as, and whether that lies in the bin
	Arrivals string
}

// StampsOf are those of a production.
func StampsOf(ctx context.Context, q Querier, production string) (Stamps, error) {
	return One[Stamps](ctx, q, `select
		current_database() || ' ' || p.n || ' ' || p.h || ' ' || l.n || ' ' || l.h || ' ' || a.names,
		current_database() || ' ' || a.n || ' ' || a.h
		from (select count(*) n, coalesce(sum(hashtextextended(concat(id, ' ', xmin, ctid, gone), 0)), 0) h
				from piece where production_id = $1) p,
			(select count(*) n, coalesce(sum(hashtextextended(concat(k.piece_id, ' ', k.xmin, k.ctid), 0)), 0) h
				from piece_look k join piece i on i.id = k.piece_id where i.production_id = $1) l,
			(select count(*) n, coalesce(sum(hashtextextended(concat(id, ' ', xmin, ctid), 0)), 0) h,
				coalesce(sum(hashtextextended(concat(id, ' ', binned is null, name), 0)), 0) names
				from arrival where production_id = $1) a`, production)
}
