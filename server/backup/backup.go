// Package backup saves a club into one file and puts it back.
//
// A backup is a ZIP archive: the rows of each table as CSV, the bytes and pictures
// of each film in PostgreSQL's binary copy format, and manifest.json, which names
// them with their hashes and is signed with the club's key. It holds data alone.
// Putting it back runs no SQL of the file: this program makes its own tables, as a
// role without any rights beyond them, and fills them.
package backup

import (
	"archive/zip"
	"context"
	"crypto/ed25519"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"io"
	"os"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"neokinema/server/store"
)

// format is the version of the archive's own layout.
const format = 1

// Manifest says what an archive holds.
type Manifest struct {
	Format    int               `json:"format"`
	Made      time.Time         `json:"made"`
	Schema    int64             `json:"schema"` // version of the tables
	Entries   []Entry           `json:"entries"`
	Key       ed25519.PublicKey `json:"key"`
	Signature []byte            `json:"signature"` // of the manifest without it
}

// Entry is the rows of one table.
type Entry struct {
	Name    string   `json:"name"`  // of the file in the archive
	Table   string   `json:"table"` // as in attempt or film.picture_ID
	Columns []string `json:"columns"`
	Rows    int64    `json:"rows"`
	Bytes   int64    `json:"bytes"`
	SHA256  string   `json:"sha256"`
}

// signed is what the signature is of.
func (m Manifest) signed() ([]byte, error) {
	m.Signature = nil
	return json.Marshal(m)
}

// left are tables that every start makes or fills by itself.
var left = regexp.MustCompile(`^(goose_db_version|river_migration|river_leader|river_client|river_client_queue|river_queue|owner_link)$`)

// films are the tables of films.
var films = regexp.MustCompile(`^film\.(original|picture)_[0-9a-f]{32}$`)

// plain are tables of this program.
var plain = regexp.MustCompile(`^[a-z][a-z_]{0,60}$`)

// Write saves a database into a file, in one consistent view, while others go on
// working. Nobody but the file's owner may read it. It appears when it is complete.
func Write(ctx context.Context, url, path string, key ed25519.PrivateKey) (err error) {
	part := path + ".part"
	f, err := os.OpenFile(part, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return fmt.Errorf("back up: %w", err)
	}
	defer func() {
		if err != nil {
			f.Close()
			os.Remove(part)
		}
	}()
	if err := f.Chmod(0o600); err != nil { // a file that was there keeps its own mode
		return err
	}
	z := zip.NewWriter(f)
	m := Manifest{Format: format, Made: time.Now().UTC().Truncate(time.Second), Key: key.Public().(ed25519.PublicKey)}
	if err := m.rows(ctx, url, z); err != nil {
		return fmt.Errorf("back up: %w", err)
	}
	if err := m.sign(z, key); err != nil {
		return fmt.Errorf("back up: %w", err)
	}
	if err := errors.Join(z.Close(), f.Sync(), f.Close()); err != nil {
		return fmt.Errorf("back up: %w", err)
	}
	return os.Rename(part, path)
}

func (m *Manifest) sign(z *zip.Writer, key ed25519.PrivateKey) error {
	text, err := m.signed()
	if err != nil {
		return err
	}
	m.Signature = ed25519.Sign(key, text)
	data, err := json.MarshalIndent(m, "", " ")
	if err != nil {
		return err
	}
	w, err := z.Create("manifest.json")
	if err == nil {
		_, err = w.Write(data)
	}
	return err
}

// rows writes every table.
func (m *Manifest) rows(ctx context.Context, url string, z *zip.Writer) error {
	c, err := pgx.Connect(ctx, url)
	if err != nil {
		return err
	}
	defer c.Close(ctx)
	tx, err := c.BeginTx(ctx, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly})
	if err != nil {
		return err
	}
	defer tx.Rollback(ctx)
	if err := tx.QueryRow(ctx, `select max(version_id) from goose_db_version where is_applied`).Scan(&m.Schema); err != nil {
		return err
	}
	list, err := tables(ctx, tx)
	if err != nil {
		return err
	}
	for _, t := range list {
		e, err := t.write(ctx, c, z)
		if err != nil {
			return fmt.Errorf("%s: %w", t.name, err)
		}
		m.Entries = append(m.Entries, e)
	}
	return nil
}

// one is a table with its columns.
type one struct {
	name    string
	columns []string
}

// film tells the tables of films, which are kept as they are.
func (o one) film() bool { return strings.HasPrefix(o.name, "film.") }

// list is the table with its columns, for a copy.
func (o one) list() string {
	quoted := make([]string, len(o.columns))
	for i, c := range o.columns {
		quoted[i] = pgx.Identifier{c}.Sanitize()
	}
	return pgx.Identifier(strings.Split(o.name, ".")).Sanitize() + " (" + strings.Join(quoted, ", ") + ")"
}

func (o one) format() string {
	if o.film() {
		return "(format binary)"
	}
	return "(format csv, header true)"
}

func (o one) write(ctx context.Context, c *pgx.Conn, z *zip.Writer) (Entry, error) {
	e := Entry{Name: "tables/" + o.name + ".csv", Table: o.name, Columns: o.columns}
	head := zip.FileHeader{Name: e.Name, Method: zip.Deflate, Modified: time.Now()}
	if o.film() {
		e.Name = "films/" + strings.TrimPrefix(o.name, "film.") + ".copy"
		head.Name, head.Method = e.Name, zip.Store // films and JPEGs do not shrink
	}
	w, err := z.CreateHeader(&head)
	if err != nil {
		return e, err
	}
	sum := &counted{hash: sha256.New(), to: w}
	done, err := c.PgConn().CopyTo(ctx, sum, "copy "+o.list()+" to stdout "+o.format())
	if err != nil {
		return e, err
	}
	e.Rows, e.Bytes, e.SHA256 = done.RowsAffected(), sum.n, hex.EncodeToString(sum.hash.Sum(nil))
	return e, nil
}

// counted hashes and counts what passes.
type counted struct {
	hash hash.Hash
	n    int64
	to   io.Writer
}

func (c *counted) Write(p []byte) (int, error) {
	c.hash.Write(p)
	c.n += int64(len(p))
	return c.to.Write(p)
}

// querier is a connection or a transaction.
type querier interface {
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
}

// tables are all that belong to the club, those that others refer to first.
func tables(ctx context.Context, q querier) ([]one, error) {
	rows, err := q.Query(ctx, `select case n.nspname when 'public' then c.relname else n.nspname || '.' || c.relname end, array_agg(a.attname::text order by a.attnum)
		from pg_class c join pg_namespace n on n.oid = c.relnamespace join pg_attribute a on a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped and a.attgenerated = ''
		where n.nspname in ('public', 'film') and c.relkind in ('r', 'p') and not c.relispartition group by 1 order by 1`)
	if err != nil {
		return nil, err
	}
	all, err := pgx.CollectRows(rows, func(r pgx.CollectableRow) (o one, err error) { return o, r.Scan(&o.name, &o.columns) })
	if err != nil {
		return nil, err
	}
	all = slices.DeleteFunc(all, func(o one) bool { return left.MatchString(o.name) })
	rows, err = q.Query(ctx, `select f.relname::text, t.relname::text from pg_constraint k join pg_class f on f.oid = k.conrelid join pg_class t on t.oid = k.confrelid where k.contype = 'f' and f.oid <> t.oid`)
	if err != nil {
		return nil, err
	}
	needs := map[string][]string{}
	if _, err := pgx.CollectRows(rows, func(r pgx.CollectableRow) (struct{}, error) {
		var from, to string
		err := r.Scan(&from, &to)
		needs[from] = append(needs[from], to)
		return struct{}{}, err
	}); err != nil {
		return nil, err
	}
	var out []one
	put := map[string]bool{}
	var visit func(o one)
	visit = func(o one) {
		if put[o.name] {
			return
		}
		put[o.name] = true
		for _, need := range needs[o.name] {
			if i := slices.IndexFunc(all, func(a one) bool { return a.name == need }); i >= 0 {
				visit(all[i])
			}
		}
		out = append(out, o)
	}
	for _, o := range all {
		visit(o)
	}
	return out, nil
}

// Newest is the version of the tables that this program knows.
func Newest() (int64, error) { return store.NewestSchema() }
