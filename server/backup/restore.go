package backup

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/ed25519"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"os/exec"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"neokinema/server/postgres"
	"neokinema/server/store"
	"neokinema/server/tasks"
)

// Foreign says that a backup was not made by this club's program.
type Foreign struct{ Key ed25519.PublicKey }

func (e Foreign) Error() string {
	by := "carries no signature (an older version made it)"
	if len(e.Key) > 0 {
		by = fmt.Sprintf("was signed with another key, %X", e.Key[:6])
	}
	return "this backup " + by + ": if you know where it comes from, restore it with -foreign"
}

// source is where rows come from.
type source interface {
	// open hands out a table's rows as they are copied in.
	open(ctx context.Context, e Entry) (io.ReadCloser, error)
}

// mostManifest is how large a manifest may be, bytes.
const mostManifest = 64 << 20

// Restore puts a backup in the place of a database that may be there. It is filled
// beside it, as a role that may nothing else, and takes its place only when it is
// whole; what was there is kept under the name that Restore returns. Only a backup
// of the club's own key is taken, unless foreign allows others.
func Restore(ctx context.Context, pg *postgres.Server, database, path string, own ed25519.PublicKey, foreign bool) (before string, err error) {
	head := make([]byte, 5)
	f, err := os.Open(path)
	if err != nil {
		return "", fmt.Errorf("restore: %w", err)
	}
	defer f.Close()
	if _, err := io.ReadFull(f, head); err != nil {
		return "", errors.New("restore: this file is no backup: it is empty")
	}
	stage, err := pg.Stage(ctx, database)
	if err != nil {
		return "", err
	}
	defer stage.Drop(context.WithoutCancel(ctx))
	if bytes.Equal(head, []byte("PGDMP")) {
		if !foreign {
			return "", Foreign{}
		}
		err = fromDump(ctx, pg, stage, path)
	} else {
		err = fromArchive(ctx, stage, f, own, foreign)
	}
	if err != nil {
		return "", fmt.Errorf("restore: %w", err)
	}
	return stage.Take(ctx)
}

// fromArchive fills a staged database from an archive.
func fromArchive(ctx context.Context, stage *postgres.Stage, f *os.File, own ed25519.PublicKey, foreign bool) error {
	info, err := f.Stat()
	if err != nil {
		return err
	}
	z, err := zip.NewReader(f, info.Size())
	if err != nil {
		return fmt.Errorf("this file is no backup, or is cut short: %w", err)
	}
	m, err := manifest(z)
	if err != nil {
		return err
	}
	if !own.Equal(m.Key) && !foreign {
		return Foreign{m.Key}
	}
	a := archive{z}
	for _, e := range m.Entries {
		if err := a.whole(e); err != nil {
			return err
		}
	}
	if len(z.File) != len(m.Entries)+1 {
		return errors.New("the archive holds files that its manifest does not name")
	}
	return load(ctx, stage, m.Schema, m.Entries, a)
}

// manifest reads what an archive says that it holds, and checks its signature.
func manifest(z *zip.Reader) (m Manifest, err error) {
	r, err := z.Open("manifest.json")
	if err != nil {
		return m, fmt.Errorf("this file is no backup: %w", err)
	}
	defer r.Close()
	data, err := io.ReadAll(io.LimitReader(r, mostManifest))
	if err != nil {
		return m, err
	}
	if err := json.Unmarshal(data, &m); err != nil {
		return m, fmt.Errorf("its manifest cannot be read: %w", err)
	}
	if m.Format != format {
		return m, fmt.Errorf("it has the layout %d, and this program knows %d", m.Format, format)
	}
	text, err := m.signed()
	if err != nil {
		return m, err
	}
	if len(m.Key) != ed25519.PublicKeySize || !ed25519.Verify(m.Key, text, m.Signature) {
		return m, errors.New("its signature does not fit: it was changed, or damaged")
	}
	return m, nil
}

type archive struct{ *zip.Reader }

func (a archive) open(_ context.Context, e Entry) (io.ReadCloser, error) {
	return a.Reader.Open(e.Name)
}

// whole holds an entry against its hash.
func (a archive) whole(e Entry) error {
	r, err := a.Reader.Open(e.Name)
	if err != nil {
		return fmt.Errorf("%s is missing: %w", e.Name, err)
	}
	defer r.Close()
	sum := sha256.New()
	n, err := io.Copy(sum, io.LimitReader(r, e.Bytes+1))
	if err != nil {
		return fmt.Errorf("%s: %w", e.Name, err)
	}
	if n != e.Bytes || hex.EncodeToString(sum.Sum(nil)) != e.SHA256 {
		return fmt.Errorf("%s is damaged: it is not what was saved", e.Name)
	}
	return nil
}

// load makes this program's tables of a version in a staged database, and fills
// them. Nothing but rows comes from the source.
func load(ctx context.Context, stage *postgres.Stage, schema int64, entries []Entry, from source) error {
	newest, err := Newest()
	if err != nil {
		return err
	}
	if schema > newest || schema < 1 {
		return fmt.Errorf("a newer program made it (its tables are of version %d, this program knows %d): restore it with that one", schema, newest)
	}
	if err := store.Migrate(ctx, stage.URL, schema); err != nil {
		return err
	}
	if err := tasks.Migrate(ctx, stage.URL); err != nil {
		return err
	}
	c, err := pgx.Connect(ctx, stage.URL)
	if err != nil {
		return err
	}
	defer c.Close(ctx)
	tx, err := c.Begin(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback(ctx)
	own, err := tables(ctx, tx)
	if err != nil {
		return err
	}
	// Tables come in the order in which this program's refer to each other.
	place := func(e Entry) int { return slices.IndexFunc(own, func(o one) bool { return o.name == e.Table }) }
	sorted := slices.Clone(entries)
	slices.SortStableFunc(sorted, func(a, b Entry) int { return place(a) - place(b) })
	for _, e := range sorted {
		i, film := place(e), films.MatchString(e.Table)
		switch {
		case film:
			if err := store.MakeFilmTable(ctx, tx, e.Table); err != nil {
				return err
			}
		case i < 0 || !plain.MatchString(e.Table):
			return fmt.Errorf("it holds a table %q, which is not this program's", e.Table)
		case slices.ContainsFunc(e.Columns, func(column string) bool { return !slices.Contains(own[i].columns, column) }):
			return fmt.Errorf("its table %s has other columns than this program's", e.Table)
		}
		r, err := from.open(ctx, e)
		if err != nil {
			return err
		}
		o := one{e.Table, e.Columns}
		done, err := c.PgConn().CopyFrom(ctx, r, "copy "+o.list()+" from stdin "+o.format())
		if err := errors.Join(err, r.Close()); err != nil {
			return fmt.Errorf("%s: %w", e.Table, err)
		}
		if done.RowsAffected() != e.Rows {
			return fmt.Errorf("%s has %d rows, and should have %d", e.Table, done.RowsAffected(), e.Rows)
		}
	}
	// Jobs count on from the last one.
	if _, err := tx.Exec(ctx, `select setval(pg_get_serial_sequence('river_job', 'id'), coalesce((select max(id) from river_job), 1))`); err != nil {
		return err
	}
	if err := tx.Commit(ctx); err != nil {
		return err
	}
	_, err = c.Exec(ctx, "analyze")
	return err
}

// dumped is a database into which an older backup was restored.
type dumped struct{ url string }

func (d dumped) open(ctx context.Context, e Entry) (io.ReadCloser, error) {
	c, err := pgx.Connect(ctx, d.url)
	if err != nil {
		return nil, err
	}
	r, w := io.Pipe()
	go func() {
		defer c.Close(context.WithoutCancel(ctx))
		o := one{e.Table, e.Columns}
		_, err := c.PgConn().CopyTo(ctx, w, "copy "+o.list()+" to stdout "+o.format())
		w.CloseWithError(err)
	}()
	return r, nil
}

// fromDump fills a staged database from a backup of an older version, which is SQL:
// it runs in a database apart, as a role that may nothing else, and only rows of
// tables are taken over.
func fromDump(ctx context.Context, pg *postgres.Server, stage *postgres.Stage, path string) error {
	apart, err := pg.Stage(ctx, "apart")
	if err != nil {
		return err
	}
	defer apart.Drop(context.WithoutCancel(ctx))
	at, err := url.Parse(apart.URL)
	if err != nil {
		return err
	}
	secret, _ := at.User.Password()
	at.User = url.User(at.User.Username())
	cmd := exec.CommandContext(ctx, pg.Program("pg_restore"), "--dbname="+at.String(), "--exit-on-error", "--no-owner", "--no-privileges", "--no-comments", "--single-transaction", path)
	cmd.Env = append(os.Environ(), "PGPASSWORD="+secret, "LC_ALL=C.UTF-8")
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("%w\n%.600s", err, out)
	}
	c, err := pgx.Connect(ctx, apart.URL)
	if err != nil {
		return err
	}
	defer c.Close(ctx)
	var schema int64
	if err := c.QueryRow(ctx, `select max(version_id) from goose_db_version where is_applied`).Scan(&schema); err != nil {
		return fmt.Errorf("it is no backup of this program: %w", err)
	}
	list, err := tables(ctx, c)
	if err != nil {
		return err
	}
	var entries []Entry
	for _, o := range list {
		e := Entry{Table: o.name, Columns: o.columns}
		if err := c.QueryRow(ctx, "select count(*) from "+pgx.Identifier(strings.Split(o.name, ".")).Sanitize()).Scan(&e.Rows); err != nil {
			return err
		}
		entries = append(entries, e)
	}
	return load(ctx, stage, schema, entries, dumped{apart.URL})
}

// Key is the club's key for backups, kept in a file that only the program reads. It
// is made when it is not there.
func Key(path string) (ed25519.PrivateKey, error) {
	kept, err := os.ReadFile(path)
	if err == nil {
		seed, err := hex.DecodeString(strings.TrimSpace(string(kept)))
		if err != nil || len(seed) != ed25519.SeedSize {
			return nil, fmt.Errorf("the key for backups in %s cannot be read: put it back from a copy, or take it away and a new one is made", path)
		}
		return ed25519.NewKeyFromSeed(seed), nil
	}
	if !errors.Is(err, os.ErrNotExist) {
		return nil, err
	}
	_, key, err := ed25519.GenerateKey(rand.Reader)
	if err != nil {
		return nil, err
	}
	return key, os.WriteFile(path, []byte(hex.EncodeToString(key.Seed())+"\n"), 0o600)
}
