package backup_test

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/ed25519"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jmoiron/sqlx"

	"neokinema/server/backup"
	"neokinema/server/postgres"
	"neokinema/server/store"
	"neokinema/server/tasks"
)

// server is a private PostgreSQL with a small club.
func server(t *testing.T) *postgres.Server {
	t.Helper()
	dir, err := os.MkdirTemp("", "neokinema-backup-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	pg, err := postgres.Start(t.Context(), postgres.Options{Folder: dir, Temporary: true})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { pg.Stop() })
	if err := pg.Create(t.Context(), "club"); err != nil {
		t.Fatal(err)
	}
	if err := tasks.Migrate(t.Context(), pg.URL("club")); err != nil {
		t.Fatal(err)
	}
	s, err := store.Open(t.Context(), pg.URL("club"))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	owner := store.Account{ID: store.NewID(), ClubID: store.NewID(), Club: "Saltmere, \"the\" club", Login: "tove", Name: "Tove\nHarrand", Role: "owner", PasswordHash: "none"}
	athlete := store.Athlete{ID: store.NewID(), ClubID: owner.ClubID, CoachID: owner.ID, Name: "Łucja", Sex: "woman", BirthYear: 2003, HeightM: 1.7200000000000002, FrontLeg: "L", Level: "trained"}
	attempt := store.Attempt{ID: store.NewID(), AthleteID: athlete.ID, Event: "sprint-start", Day: time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC), Place: "oval"}
	clip := store.Clip{ID: store.NewID(), AttemptID: attempt.ID, Name: "a.mp4", Bytes: 3 << 20}
	no := func(context.Context, *sqlx.Tx, uuid.UUID, int) error { return nil }
	film := bytes.Repeat([]byte{0, 255, '\n', '"', ','}, 3<<20/5+1)[:3<<20]
	for _, err := range []error{
		s.AddClub(t.Context(), owner), s.AddAthlete(t.Context(), athlete), s.Log(t.Context(), owner.ID, attempt), s.AddClip(t.Context(), owner.ID, clip),
		s.Receive(t.Context(), owner.ID, clip.ID, 0, bytes.NewReader(film), no), s.ClearFrames(t.Context(), clip.ID), s.AddFrames(t.Context(), clip.ID, []store.Frame{{Number: 0, PTS: 7, JPEG: []byte{0xff, 0xd8, 0}}, {Number: 1, PTS: 9, JPEG: []byte("two")}}),
	} {
		if err != nil {
			t.Fatal(err)
		}
	}
	return pg
}

// content is all that a database holds, table by table.
func content(t *testing.T, url string) string {
	t.Helper()
	c, err := pgx.Connect(t.Context(), url)
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close(t.Context())
	rows, err := c.Query(t.Context(), `select format('%I.%I', n.nspname, c.relname) from pg_class c join pg_namespace n on n.oid = c.relnamespace where n.nspname in ('public', 'film') and c.relkind = 'r' and c.relname not like 'river%' and c.relname <> 'goose_db_version' order by 1`)
	if err != nil {
		t.Fatal(err)
	}
	names, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		t.Fatal(err)
	}
	var out strings.Builder
	for _, name := range names {
		var all string
		if err := c.QueryRow(t.Context(), `select coalesce(md5(string_agg(r::text, ',' order by r::text)), '') || ' ' || count(*) from `+name+` r`).Scan(&all); err != nil {
			t.Fatal(err)
		}
		fmt.Fprintln(&out, name, all)
	}
	return out.String()
}

func key(t *testing.T) ed25519.PrivateKey {
	t.Helper()
	k, err := backup.Key(filepath.Join(t.TempDir(), "backup.key"))
	if err != nil {
		t.Fatal(err)
	}
	return k
}

func public(k ed25519.PrivateKey) ed25519.PublicKey { return k.Public().(ed25519.PublicKey) }

// A backup put back is what was saved; only its owner may read it; what was there
// before is kept until it is dropped.
func TestABackupComesBack(t *testing.T) {
	pg, k := server(t), key(t)
	file := filepath.Join(t.TempDir(), "club.backup")
	if err := backup.Write(t.Context(), pg.URL("club"), file, k); err != nil {
		t.Fatal(err)
	}
	if info, err := os.Stat(file); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("others may read it: %v, %v", info.Mode(), err)
	}
	want := content(t, pg.URL("club"))
	before, err := backup.Restore(t.Context(), pg, "club", file, public(k), false)
	if err != nil {
		t.Fatal(err)
	}
	if got := content(t, pg.URL("club")); got != want || !strings.Contains(want, "film.picture_") {
		t.Errorf("it was\n%s\nand is\n%s", want, got)
	}
	if kept, err := pg.Befores(t.Context(), "club"); err != nil || len(kept) != 1 || kept[0] != before {
		t.Errorf("kept are %v, %v", kept, err)
	}
	if err := pg.DropBefore(t.Context(), "club", "postgres"); err == nil {
		t.Error("a database that no restore kept is dropped")
	}
	if err := pg.DropBefore(t.Context(), "club", before); err != nil {
		t.Error(err)
	}
	// The program opens it: everything in it is the program's own again.
	s, err := store.Open(t.Context(), pg.URL("club"))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	var roles int
	if err := s.DB.GetContext(t.Context(), &roles, `select count(*) from pg_roles where rolname like 'stage%'`); err != nil || roles != 0 {
		t.Errorf("%d roles stay behind, %v", roles, err)
	}
}

// A backup of another club is said to be foreign, and taken only when that is wanted.
func TestAForeignBackupIsSaidSo(t *testing.T) {
	pg, k := server(t), key(t)
	file := filepath.Join(t.TempDir(), "club.backup")
	if err := backup.Write(t.Context(), pg.URL("club"), file, k); err != nil {
		t.Fatal(err)
	}
	var foreign backup.Foreign
	if _, err := backup.Restore(t.Context(), pg, "club", file, public(key(t)), false); !errors.As(err, &foreign) || !strings.Contains(err.Error(), "-foreign") {
		t.Errorf("with another key: %v", err)
	}
	if _, err := backup.Restore(t.Context(), pg, "club", file, public(key(t)), true); err != nil {
		t.Errorf("wanted all the same: %v", err)
	}
}

// changed writes an archive again with its manifest and tables as a function has
// them, signed with a key.
func changed(t *testing.T, file string, k ed25519.PrivateKey, change func(m *backup.Manifest, files map[string][]byte)) string {
	t.Helper()
	z, err := zip.OpenReader(file)
	if err != nil {
		t.Fatal(err)
	}
	defer z.Close()
	files := map[string][]byte{}
	for _, f := range z.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		if files[f.Name], err = io.ReadAll(r); err != nil {
			t.Fatal(err)
		}
		r.Close()
	}
	var m backup.Manifest
	if err := json.Unmarshal(files["manifest.json"], &m); err != nil {
		t.Fatal(err)
	}
	change(&m, files)
	if k != nil {
		m.Key, m.Signature = public(k), nil
		text, err := json.Marshal(m)
		if err != nil {
			t.Fatal(err)
		}
		m.Signature = ed25519.Sign(k, text)
	}
	if files["manifest.json"], err = json.Marshal(m); err != nil {
		t.Fatal(err)
	}
	out := filepath.Join(t.TempDir(), "changed.backup")
	f, err := os.Create(out)
	if err != nil {
		t.Fatal(err)
	}
	w := zip.NewWriter(f)
	for name, data := range files {
		to, err := w.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := to.Write(data); err != nil {
			t.Fatal(err)
		}
	}
	if err := errors.Join(w.Close(), f.Close()); err != nil {
		t.Fatal(err)
	}
	return out
}

// Whatever is wrong with a backup, nothing of what is there changes, and nothing of
// the file is run.
func TestADamagedBackupChangesNothing(t *testing.T) {
	if testing.Short() {
		t.Skip("left out of the short tests")
	}
	pg, k := server(t), key(t)
	file := filepath.Join(t.TempDir(), "club.backup")
	if err := backup.Write(t.Context(), pg.URL("club"), file, k); err != nil {
		t.Fatal(err)
	}
	data, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	raw := func(data []byte) string {
		path := filepath.Join(t.TempDir(), "raw.backup")
		if err := os.WriteFile(path, data, 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	cases := map[string]string{
		"empty": raw(nil), "a text": raw([]byte("create table x (y int);")), "cut short": raw(data[:len(data)-1]), "half": raw(data[:len(data)/2]),
		"a manifest that was changed": changed(t, file, nil, func(m *backup.Manifest, _ map[string][]byte) { m.Schema-- }),
		"of a newer program":          changed(t, file, k, func(m *backup.Manifest, _ map[string][]byte) { m.Schema = 9999 }),
		"of no version":               changed(t, file, k, func(m *backup.Manifest, _ map[string][]byte) { m.Schema = -1 }),
		"of another layout":           changed(t, file, k, func(m *backup.Manifest, _ map[string][]byte) { m.Format = 2 }),
		"with a row more":             changed(t, file, k, func(m *backup.Manifest, _ map[string][]byte) { m.Entries[3].Rows++ }),
		"with a table of its own":     changed(t, file, k, func(m *backup.Manifest, _ map[string][]byte) { m.Entries[0].Table = "pg_authid" }),
		"with a film's table that is none": changed(t, file, k, func(m *backup.Manifest, _ map[string][]byte) {
			m.Entries[len(m.Entries)-1].Table = `film.picture_x"; drop table athlete; --`
		}),
		"with a column of its own": changed(t, file, k, func(m *backup.Manifest, _ map[string][]byte) { m.Entries[0].Columns[0] = `id") from program 'id'; --` }),
		"with a file more":         changed(t, file, k, func(_ *backup.Manifest, files map[string][]byte) { files["more.sql"] = []byte("drop table athlete") }),
		"with a file less":         changed(t, file, k, func(m *backup.Manifest, files map[string][]byte) { delete(files, m.Entries[0].Name) }),
		"with other rows": changed(t, file, k, func(m *backup.Manifest, files map[string][]byte) {
			files[m.Entries[0].Name] = append(files[m.Entries[0].Name], '\n')
		}),
	}
	for at := len(data) / 20; at < len(data); at += len(data) / 20 {
		flipped := bytes.Clone(data)
		flipped[at] ^= 0x40
		cases[fmt.Sprintf("byte %d flipped", at)] = raw(flipped)
	}
	want := content(t, pg.URL("club"))
	for name, path := range cases {
		before, err := backup.Restore(t.Context(), pg, "club", path, public(k), true)
		if err != nil {
			continue
		}
		// A bit of the archive's own bookkeeping may turn: what it holds is the same.
		if !strings.Contains(name, "flipped") || content(t, pg.URL("club")) != want {
			t.Errorf("%s: restored", name)
		}
		if err := pg.DropBefore(t.Context(), "club", before); err != nil {
			t.Error(err)
		}
	}
	if got := content(t, pg.URL("club")); got != want {
		t.Errorf("it was\n%s\nand is\n%s", want, got)
	}
	if kept, err := pg.Befores(t.Context(), "club"); err != nil || len(kept) != 0 {
		t.Errorf("databases stay behind: %v, %v", kept, err)
	}
}

// A backup of an older version is SQL. It runs as a role without rights, and only
// rows are taken from it: what it does besides stays without effect.
func TestAnOlderBackupRunsWithoutRights(t *testing.T) {
	if testing.Short() {
		t.Skip("left out of the short tests")
	}
	pg := server(t)
	dump := func(name string) string {
		path := filepath.Join(t.TempDir(), name)
		if out, err := exec.Command(pg.Program("pg_dump"), "--dbname="+pg.URL("club"), "--format=custom", "--file="+path).CombinedOutput(); err != nil {
			t.Fatalf("%v %s", err, out)
		}
		return path
	}
	want := content(t, pg.URL("club"))
	honest := dump("honest.backup")
	if _, err := backup.Restore(t.Context(), pg, "club", honest, nil, false); !errors.As(err, new(backup.Foreign)) {
		t.Errorf("unsigned: %v", err)
	}
	if _, err := backup.Restore(t.Context(), pg, "club", honest, nil, true); err != nil {
		t.Fatal(err)
	}
	if got := content(t, pg.URL("club")); got != want {
		t.Errorf("it was\n%s\nand is\n%s", want, got)
	}
	c, err := pgx.Connect(t.Context(), pg.URL("club"))
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close(t.Context())
	if _, err := c.Exec(t.Context(), `create function spy() returns trigger language plpgsql as $$ begin new.name := 'spied'; return new; end $$;
		create trigger spy before insert on athlete for each row execute function spy(); create view looking as select * from account`); err != nil {
		t.Fatal(err)
	}
	c.Close(t.Context())
	if _, err := backup.Restore(t.Context(), pg, "club", dump("spying.backup"), nil, true); err != nil {
		t.Logf("refused: %v", err)
	} else if got := content(t, pg.URL("club")); got != want {
		t.Errorf("it was\n%s\nand is\n%s", want, got)
	}
	if c, err = pgx.Connect(t.Context(), pg.URL("club")); err != nil {
		t.Fatal(err)
	}
	defer c.Close(t.Context())
	var theirs int
	if err := c.QueryRow(t.Context(), `select (select count(*) from pg_proc where proname = 'spy') + (select count(*) from pg_class where relname = 'looking')`).Scan(&theirs); err != nil || theirs != 0 {
		t.Errorf("%d of its own objects came along, %v", theirs, err)
	}
	if _, err := c.Exec(t.Context(), `create extension file_fdw; create server files foreign data wrapper file_fdw; create foreign table stolen (line text) server files options (filename '/etc/passwd')`); err != nil {
		t.Skipf("no foreign tables here: %v", err)
	}
	c.Close(t.Context())
	if _, err := backup.Restore(t.Context(), pg, "club", dump("stealing.backup"), nil, true); err == nil {
		t.Error("a backup that reads the server's files is restored")
	}
}
