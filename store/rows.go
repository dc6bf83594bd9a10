package store

import (
	"context"
	"encoding/json"
	"errors"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"visator/core/stage"
)

// Querier is a pool, a connection or a transaction.
type Querier interface {
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
	QueryRow(ctx context.Context, sql string, args ...any) pgx.Row
	Exec(ctx context.Context, sql string, args ...any) (pgconn.CommandTag, error)
}

// Production is the top folder of work.
type Production struct {
	ID       string    `json:"id"`
	Name     string    `json:"name"`
	Unit     string    `json:"unit"`
	Budget   int       `json:"budget"`
	Revision int64     `json:"revision"`
	Created  time.Time `json:"-"`
	// Sample says how far the sample production is: making or made; "" for others.
	Sample string `json:"-"`
}

// Arrival is one download as it came in.
type Arrival struct {
	ID           string          `json:"id"`
	ProductionID string          `json:"-"`
	Name         string          `json:"name"`
	Blob         string          `json:"-"`
	Bytes        int64           `json:"bytes"`
	State        string          `json:"state"`
	Progress     float64         `json:"progress"`
	Note         string          `json:"note"`
	Report       json.RawMessage `json:"report"`
	Created      time.Time       `json:"-"`
	Files        json.RawMessage `json:"-"`
	Found        json.RawMessage `json:"found"`
	Taking       json.RawMessage `json:"taking"`
	Credit       json.RawMessage `json:"credit"`
	ForPiece     string          `json:"forPiece"`
	Pictures     int             `json:"pictures"`
	JobID        *int64          `json:"-"`
	Fetch        string          `json:"fetch"`
}

// Piece is a model in the library.
type Piece struct {
	ID           string
	ProductionID string
	ArrivalID    string
	Name         string
	Source       string
	Blob         string
	Facts        json.RawMessage
	Sizing       json.RawMessage
	Rev          int64
	Gone         bool
	Created      time.Time
	Recipe       json.RawMessage
	Credit       json.RawMessage
	Tags         json.RawMessage
	Favourite    bool
	News         json.RawMessage
	Made         string
	Making       string
	Picture      string
	Weight       json.RawMessage
}

// Look is what is drawn of a piece: silhouettes by up axis.
type Look struct {
	PieceID string
	Levels  json.RawMessage
	Front   json.RawMessage
	Top     json.RawMessage
	Right   json.RawMessage
}

// Set is one place, composed.
type Set struct {
	stage.Scene
	ProductionID string
	Rev          int64
}

// Entry is one edit of the log.
type Entry struct {
	ID           int64
	ProductionID string
	SetID        string
	Revision     int64
	Label        string
	Changes      json.RawMessage
	Undone       bool
	Dropped      bool
	At           time.Time
	Actor        string // whose edit it was; "" anybody's
}

// List returns all rows of a query as T, by column position.
func List[T any](ctx context.Context, q Querier, sql string, args ...any) ([]T, error) {
	rows, err := q.Query(ctx, sql, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[T])
}

// One returns the one row of a query as T, or ErrNotFound.
func One[T any](ctx context.Context, q Querier, sql string, args ...any) (T, error) {
	rows, err := q.Query(ctx, sql, args...)
	var t T
	if err != nil {
		return t, err
	}
	t, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[T])
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrNotFound
	}
	return t, err
}

const (
	productionColumns = "id, name, unit, budget, revision, created, sample"
	arrivalColumns    = "id, production_id, name, blob, bytes, state, progress, note, report, created, files, found, " +
		"taking, credit, for_piece, pictures, job_id, fetching"
	// PieceColumns are those of Piece, in its order.
	PieceColumns = "id, production_id, arrival_id, name, source, blob, facts, sizing, rev, gone, created, recipe, " +
		"credit, tags, favourite, news, made, making, picture, weight"
	takeColumns = "id, set_id, shot_id, name, kind, state, progress, note, settings, result, job_id, created, turn, " +
		"marks, due"
	entryColumns = "id, production_id, set_id, revision, label, changes, undone, dropped, at, actor"
)

// Productions are all that do not lie in the bin, the oldest first.
func (s *Store) Productions(ctx context.Context) ([]Production, error) {
	return List[Production](ctx, s.Pool, "select "+productionColumns+" from production where binned is null order by "+
		"created")
}

// GetProduction reads one; ErrNotFound when it is not there, or in the bin.
func GetProduction(ctx context.Context, q Querier, id string) (Production, error) {
	return One[Production](ctx, q, "select "+productionColumns+" from production where id = $1 and binned is null", id)
}

// SetSample says how far the sample production is: making or made.
func (s *Store) SetSample(ctx context.Context, production, how string) error {
	_, err := s.Pool.Exec(ctx, "update production set sample = $2 where id = $1", production, how)
	return err
}

// LockProduction reads a production and holds it until the transaction ends,
// so that edits of it come one after another.
func LockProduction(ctx context.Context, tx pgx.Tx, id string) (Production, error) {
	return One[Production](ctx, tx, "select "+productionColumns+
		" from production where id = $1 and binned is null for "+
		"update", id)
}

// HoldProduction holds a production until the transaction ends, which began before; it fails,
// Overtaken, when another holds it or changed it since.
func HoldProduction(ctx context.Context, tx pgx.Tx, id string) error {
	_, err := tx.Exec(ctx, "select from production where id = $1 for update nowait", id)
	return err
}

// InsertProduction puts in a new one, at revision 0.
func InsertProduction(ctx context.Context, q Querier, p Production) error {
	_, err := q.Exec(ctx, "insert into production (id, name, unit, budget, sample) values ($1, $2, $3, $4, $5)", p.ID,
		p.Name, p.Unit, p.Budget, p.Sample)
	return err
}

// Arrivals are those of a production, the oldest first.
func Arrivals(ctx context.Context, q Querier, production string) ([]Arrival, error) {
	return List[Arrival](ctx, q, "select "+arrivalColumns+" from arrival where production_id = $1 and binned is null "+
		"order by created, id", production)
}

// Arrival reads one; ErrNotFound when it is not there.
func (s *Store) Arrival(ctx context.Context, id string) (Arrival, error) {
	return GetArrival(ctx, s.Pool, id)
}

// GetArrival reads one within a transaction.
func GetArrival(ctx context.Context, q Querier, id string) (Arrival, error) {
	return One[Arrival](ctx, q, "select "+arrivalColumns+" from arrival where id = $1", id)
}

// ArrivalOf finds an arrival of a production by its content, also in the bin.
func ArrivalOf(ctx context.Context, q Querier, production, blob string) (Arrival, error) {
	return One[Arrival](ctx, q, "select "+arrivalColumns+" from arrival where production_id = $1 and blob = $2 limit 1",
		production, blob)
}

// InsertArrival puts in a new one; its content must be kept before.
func InsertArrival(ctx context.Context, q Querier, a Arrival) error {
	_, err := q.Exec(ctx,
		"insert into arrival (id, production_id, name, blob, bytes, state, files, for_piece, job_id, "+
			"fetching, credit) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, coalesce($11::jsonb, '{}'))",
		a.ID, a.ProductionID, a.Name, a.Blob, a.Bytes, a.State, a.Files, a.ForPiece, a.JobID, a.Fetch, a.Credit)
	return err
}

// SetArrival says how far an arrival is: progress is 0 to 1, note is for the
// person. One that was cancelled stays so.
func (s *Store) SetArrival(ctx context.Context, id, state string, progress float64, note string) error {
	_, err := s.Pool.Exec(ctx, "update arrival set state = $2, progress = $3, note = $4 where id = $1 and state <> "+
		"'cancelled'", id, state, progress, Plain(note))
	return err
}

// PutFound keeps what an arrival was found to hold.
func PutFound(ctx context.Context, q Querier, a *Arrival) error {
	_, err := q.Exec(ctx, "update arrival set found = $2, taking = $3, credit = $4, pictures = $5, report = $6 where "+
		"id = $1", a.ID, a.Found, a.Taking, a.Credit, a.Pictures, a.Report)
	return err
}

// unbinned holds pieces whose arrival does not lie in the bin.
const unbinned = "not exists (select from arrival a where a.id = arrival_id and a.binned is not null)"

// standing holds placements of such pieces, and of none.
const standing = "(piece_id is null or piece_id not in (select b.id from piece b join arrival a on a.id = " +
	"b.arrival_id where a.binned is not null))"

// Pieces are those of a production that were not taken out of the library.
func Pieces(ctx context.Context, q Querier, production string) ([]Piece, error) {
	return List[Piece](ctx, q,
		"select "+PieceColumns+" from piece where production_id = $1 and not gone and "+unbinned+
			" order by created, id",
		production)
}

// GetPiece reads one, also one that was taken out; ErrNotFound when it never was.
func GetPiece(ctx context.Context, q Querier, id string) (Piece, error) {
	return One[Piece](ctx, q, "select "+PieceColumns+" from piece where id = $1", id)
}

// ShelfRow is a piece that was found, and the version of it that the database holds: another after each change.
type ShelfRow struct {
	ID, Version, ProductionName string
}

// Shelf searches the pieces of a production, or of all when it is "": every
// word, in lower case, must occur in a piece's name, tags, author, parts or
// surfaces.
func Shelf(ctx context.Context, q Querier, production string, words []string) ([]ShelfRow, error) {
	return List[ShelfRow](ctx, q, `select id, concat(current_database(), ' ', xmin, ctid),
		(select name from production where id = p.production_id)
		from piece p where not gone and `+unbinned+` and ($1 = '' or production_id = $1)
		and not exists (select from unnest($2::text[]) w where position(w in lower(concat_ws(' ', name, tags::text,
		credit->>'author',
			jsonb_path_query_array(inventory, '$.rearranged[*].name')::text, jsonb_path_query_array(inventory,
			'$.surfaces[*].name')::text))) = 0)
		order by created, id`, production, words)
}

// PiecesBy are pieces by their IDs, in no order.
func PiecesBy(ctx context.Context, q Querier, ids []string) ([]Piece, error) {
	return List[Piece](ctx, q, "select "+PieceColumns+" from piece where id = any($1)", ids)
}

// InsertPiece puts in a piece; one that is there stays as it is.
func InsertPiece(ctx context.Context, q Querier, p Piece) error {
	_, err := q.Exec(ctx, "insert into piece (id, production_id, arrival_id, name, source, blob, facts, sizing, "+
		"recipe, credit, tags, favourite) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12) on conflict "+
		"(id) do nothing",
		p.ID, p.ProductionID, p.ArrivalID, p.Name, p.Source, p.Blob, p.Facts, p.Sizing, p.Recipe, p.Credit, p.Tags,
		p.Favourite)
	return err
}

// PutMade keeps what was made of a piece, under the digest of what it was made
// from; making ends with it.
func PutMade(ctx context.Context, q Querier, id, digest, blob, picture string, facts, weight, inventory,
	subject json.RawMessage) error {
	_, err := q.Exec(ctx, "update piece set made = $2, making = '', blob = $3, picture = $4, facts = $5, weight = $6, "+
		"inventory = $7, subject = coalesce($8::jsonb, '{}') where id = $1", id, digest, blob, picture, facts, weight,
		inventory, subject)
	return err
}

// Subject is what a proposal for a piece's size goes by.
func Subject(ctx context.Context, q Querier, piece string) (subject json.RawMessage, err error) {
	err = q.QueryRow(ctx, "select subject from piece where id = $1", piece).Scan(&subject)
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrNotFound
	}
	return subject, err
}

// CopyPiece puts in a copy of a piece, with how it is drawn, under another name.
func CopyPiece(ctx context.Context, q Querier, from, id, name string) error {
	const rest = "production_id, arrival_id, source, blob, facts, sizing, gone, recipe, credit, tags, favourite, " +
		"inventory, news, made, making, picture, weight, subject"
	if _, err := q.Exec(ctx, "insert into piece (id, name, "+rest+") select $2, $3, "+rest+" from piece where id = $1",
		from, id, name); err != nil {
		return err
	}
	_, err := q.Exec(ctx, "insert into piece_look (piece_id, levels, front, top, right_) select $2, levels, front, "+
		"top, right_ from piece_look where piece_id = $1", from, id)
	return err
}

// SetMaking says what is being done to a piece; "" that it is ready.
func SetMaking(ctx context.Context, q Querier, id, making string) error {
	_, err := q.Exec(ctx, "update piece set making = $2 where id = $1", id, making)
	return err
}

// Inventory is what is in a piece as it came.
func Inventory(ctx context.Context, q Querier, id string) (inventory json.RawMessage, err error) {
	err = q.QueryRow(ctx, "select inventory from piece where id = $1", id).Scan(&inventory)
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrNotFound
	}
	return inventory, err
}

// Made is what was made under a digest before; ErrNotFound when nothing was.
func Made(ctx context.Context, q Querier, digest string) (result json.RawMessage, err error) {
	err = q.QueryRow(ctx, "select result from made where digest = $1", digest).Scan(&result)
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrNotFound
	}
	return result, err
}

// KeepMade remembers a result for Made.
func KeepMade(ctx context.Context, q Querier, digest string, result json.RawMessage) error {
	_, err := q.Exec(ctx, "insert into made (digest, result) values ($1, $2) on conflict (digest) do nothing", digest,
		result)
	return err
}

// PutLook keeps how a piece is drawn.
func PutLook(ctx context.Context, q Querier, l Look) error {
	_, err := q.Exec(ctx, `insert into piece_look (piece_id, levels, front, top, right_) values ($1, $2, $3, $4,
		coalesce($5::jsonb, '{}'))
		on conflict (piece_id) do update set levels = excluded.levels, front = excluded.front, top = excluded.top,
		right_ = excluded.right_`, l.PieceID, l.Levels, l.Front, l.Top, l.Right)
	return err
}

// LookLevels are the levels of a piece for the browser.
type LookLevels struct {
	PieceID string
	Levels  json.RawMessage
}

// Looks are the levels of the pieces of a production.
func Looks(ctx context.Context, q Querier, production string) ([]LookLevels, error) {
	return List[LookLevels](ctx, q, "select l.piece_id, l.levels from piece_look l join piece p on p.id = l.piece_id "+
		"where p.production_id = $1", production)
}

// Silhouettes are the outlines of a piece with the up axis that it has, as SVG
// paths in the file's unit.
type Silhouettes struct {
	PieceID           string
	Sizing            json.RawMessage
	Front, Top, Right string
}

// Outlines are the silhouettes of some pieces of a production.
func Outlines(ctx context.Context, q Querier, production string, pieces []string) ([]Silhouettes, error) {
	return List[Silhouettes](ctx, q, `select p.id, p.sizing, coalesce(l.front->>(p.sizing->>'up'), ''),
		coalesce(l.top->>(p.sizing->>'up'), ''), coalesce(l.right_->>(p.sizing->>'up'), '')
		from piece_look l join piece p on p.id = l.piece_id where p.production_id = $1
		and p.id = any($2)`, production, pieces)
}

const setColumns = "doc, id, production_id, rev"

func scanSet(row pgx.CollectableRow) (s Set, err error) {
	err = row.Scan(&s.Scene, &s.ID, &s.ProductionID, &s.Rev)
	s.Hide = hidden(s.Hide)
	return s, err
}

// Sets are those of a production, the oldest first.
func (s *Store) Sets(ctx context.Context, production string) ([]Set, error) {
	rows, err := s.Pool.Query(ctx, "select "+setColumns+" from sets where production_id = $1 and binned is null order "+
		"by created, id", production)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, scanSet)
}

// GetSet reads one; ErrNotFound when it is not there, or in the bin, by itself or
// with its production.
func GetSet(ctx context.Context, q Querier, id string) (Set, error) {
	rows, err := q.Query(ctx, "select "+setColumns+" from sets where id = $1 and binned is null and exists (select "+
		"from production where id = production_id and binned is null)", id)
	if err != nil {
		return Set{}, err
	}
	set, err := pgx.CollectExactlyOneRow(rows, scanSet)
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrNotFound
	}
	return set, err
}

// PutSet writes a set as of revision rev.
func PutSet(ctx context.Context, q Querier, production string, s stage.Scene, rev int64) error {
	tag, err := q.Exec(ctx, `insert into sets (id, production_id, doc, rev) values ($1, $2, $3, $4)
		on conflict (id) do update set doc = excluded.doc, rev = excluded.rev
		where sets.production_id = excluded.production_id`,
		s.ID, production, &s, rev)
	return own(tag, err)
}

// ErrElsewhere is a row of another set or production, which is not written to.
var ErrElsewhere = errors.New("this belongs to another set")

// own makes an error of a write that met a row of somebody else.
func own(tag pgconn.CommandTag, err error) error {
	if err == nil && tag.RowsAffected() == 0 {
		return ErrElsewhere
	}
	return err
}

// PutPiece stores what of a piece can be edited.
func PutPiece(ctx context.Context, q Querier, p *Piece, rev int64) error {
	_, err := q.Exec(ctx, "update piece set name = $2, sizing = $3, gone = $4, recipe = $5, credit = $6, tags = $7, "+
		"favourite = $8, arrival_id = $9, source = $10, news = $11, rev = $12 where id = $1",
		p.ID, p.Name, p.Sizing, p.Gone, p.Recipe, p.Credit, p.Tags, p.Favourite, p.ArrivalID, p.Source, p.News, rev)
	return err
}

// Plain is a text that the database can hold: what is no UTF-8, and NUL, are left
// out. Messages of other programs may have such.
func Plain(s string) string {
	return strings.ReplaceAll(strings.ToValidUTF8(s, ""), "\x00", "")
}
