package e2e

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"io"
	"maps"
	"net"
	"net/http"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"

	"neokinema/demo"
	"neokinema/server/postgres"
	"neokinema/test/program"
)

// tool runs one of the program's other commands.
func tool(t *testing.T, args ...string) (string, error) {
	t.Helper()
	out, err := exec.Command(program.Binary, args...).CombinedOutput()
	return string(out), err
}

// digest is a fingerprint of every table of a data folder's database, but for
// the background's own bookkeeping of who leads it.
func digest(t *testing.T, folder string) map[string]string {
	t.Helper()
	pg, err := postgres.Start(t.Context(), postgres.Options{Folder: folder})
	if err != nil {
		t.Fatal(err)
	}
	defer pg.Stop()
	c, err := pgx.Connect(t.Context(), pg.URL("neokinema"))
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close(context.Background())
	rows, err := c.Query(t.Context(), `select format('%I.%I', schemaname, tablename) from pg_tables where schemaname in ('public', 'film') and tablename not in ('goose_db_version', 'river_leader', 'river_client', 'river_client_queue', 'river_queue') order by 1`)
	if err != nil {
		t.Fatal(err)
	}
	tables, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		t.Fatal(err)
	}
	out := map[string]string{}
	for _, name := range tables {
		var sum string
		err := c.QueryRow(t.Context(), fmt.Sprintf(`select count(*) || ' ' || coalesce(md5(string_agg(h, '' order by h)), '') from (select md5(r::text) h from %s r) x`, name)).Scan(&sum)
		if err != nil {
			t.Fatal(err)
		}
		out[strings.TrimPrefix(name, "public.")] = sum
	}
	return out
}

// A backup made while the program serves, put back elsewhere, is identical to
// the last byte, and the program goes on from it. A broken backup changes
// nothing.
func TestARestoredBackupIsIdentical(t *testing.T) {
	t.Parallel()
	from, to := club(t), folder(t)
	p := start(t, from, "demo")
	file := filepath.Join(t.TempDir(), "club.backup")
	if out, err := tool(t, "backup", "-data", from, file); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	c := newCaller(t)
	c.ask("POST", p.Base+"/api/sign-in/demo", nil, nil) // the program still has its database
	if _, err := c.http.Get(p.Base + "/api/sign-out"); err != nil {
		t.Fatal(err)
	}
	if out, err := tool(t, "restore", "-data", from, file); err == nil || !strings.Contains(out, "end the program") {
		t.Errorf("restoring under a running program: %v\n%s", err, out)
	}
	if r, err := c.http.Post(p.Base+"/api/sign-out", "", nil); err != nil || r.StatusCode != 204 {
		t.Errorf("after that the program answers %v %v", r, err)
	}
	p.Stop()
	want := digest(t, from)
	films := 0
	for name := range want {
		if strings.HasPrefix(name, "film.picture_") {
			films++
		}
	}
	if films != 2 || want["attempt"][:2] != "2 " {
		t.Fatalf("the demo has %v", want)
	}
	if out, err := tool(t, "restore", "-data", to, file); err == nil || !strings.Contains(out, "-foreign") {
		t.Errorf("a backup of another folder's key: %v\n%s", err, out)
	}
	for range 2 { // into an empty folder, and over what is there
		out, err := tool(t, "restore", "-foreign", "-data", to, file)
		if err != nil {
			t.Fatalf("%v\n%s", err, out)
		}
		if _, name, kept := strings.Cut(out, "neokinema forget "); kept {
			if out, err := tool(t, "forget", "-data", to, strings.TrimSpace(name)); err != nil {
				t.Errorf("forget %s: %v\n%s", name, err, out)
			}
		}
		got := digest(t, to)
		for name, sum := range want {
			if got[name] != sum && !strings.HasPrefix(name, "river_") && name != "sign_in" {
				t.Errorf("%s was %s and is %s", name, sum, got[name])
			}
		}
	}
	bad := filepath.Join(t.TempDir(), "bad.backup")
	if out, err := exec.Command("sh", "-c", fmt.Sprintf("head -c 100000 %s > %s", file, bad)).CombinedOutput(); err != nil {
		t.Fatalf("%s %v", out, err)
	}
	before := digest(t, to)
	if out, err := tool(t, "restore", "-foreign", "-data", to, bad); err == nil {
		t.Errorf("half a backup is restored: %s", out)
	}
	if after := digest(t, to); !maps.Equal(before, after) {
		t.Error("a backup that was refused changed something")
	}
	again := start(t, to, "demo")
	c.moved(p.Base, again.Base)
	c.ask("POST", again.Base+"/api/sign-in/demo", nil, nil)
	var d today
	c.ask("GET", again.Base+"/api/today", nil, &d)
	if len(d.Attempts) != 1 { // of the two one is judged
		t.Errorf("in the restored club %d attempts wait", len(d.Attempts))
	}
}

// Other devices get in over the network with the certificate that the program
// makes.
func TestOtherDevicesGetInWithTheCertificate(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	addr := l.Addr().String()
	l.Close()
	t.Setenv("NEOKINEMA_LISTEN", addr)
	data := club(t)
	p := start(t, data, "demo")
	r, err := http.Get(p.Base + "/certificate.crt")
	if err != nil {
		t.Fatal(err)
	}
	defer r.Body.Close()
	der, err := io.ReadAll(r.Body)
	if err != nil {
		t.Fatal(err)
	}
	authority, err := x509.ParseCertificate(der)
	if err != nil {
		t.Fatal(err)
	}
	pool := x509.NewCertPool()
	pool.AddCert(authority)
	tablet := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: pool}}}
	// While other devices are let in, the demo's door is closed: one signs in by a
	// password, here and there.
	for _, at := range []string{"https://" + addr, p.Base} {
		answer, err := tablet.Post(at+"/api/sign-in/demo", "application/json", nil)
		if err != nil {
			t.Fatal(err)
		}
		answer.Body.Close()
		if answer.StatusCode != 404 {
			t.Errorf("the demo's door at %s answers %d", at, answer.StatusCode)
		}
	}
	set := exec.Command(program.Binary, "password", "-data", data, demo.Login)
	set.Stdin = strings.NewReader("six loud hurdles\n")
	if out, err := set.CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	answer, err := tablet.Post("https://"+addr+"/api/sign-in", "application/json", strings.NewReader(fmt.Sprintf(`{"name": %q, "password": "six loud hurdles"}`, demo.Login)))
	if err != nil {
		t.Fatal(err)
	}
	defer answer.Body.Close()
	if answer.StatusCode != 200 || len(answer.Cookies()) != 1 || !answer.Cookies()[0].Secure {
		t.Errorf("signing in from a tablet answers %d with %v", answer.StatusCode, answer.Cookies())
	}
}
