// Package architecture checks the rules of the house: arrows that point one way,
// generated files that are fresh, words and paths that do not belong.
package architecture

import (
	"bytes"
	"encoding/json"
	"io"
	"neokinema/core/breakdown"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
)

const root = "../.."

// listed is a package as go list tells it.
type listed struct {
	ImportPath   string
	Imports      []string
	TestImports  []string
	XTestImports []string
}

func packages(t *testing.T) []listed {
	t.Helper()
	cmd := exec.Command("go", "list", "-json=ImportPath,Imports,TestImports,XTestImports", "./...")
	cmd.Dir = root
	out, err := cmd.Output()
	if err != nil {
		t.Fatal(err)
	}
	var all []listed
	for d := json.NewDecoder(bytes.NewReader(out)); ; {
		var p listed
		if err := d.Decode(&p); err == io.EOF {
			return all
		} else if err != nil {
			t.Fatal(err)
		}
		all = append(all, p)
	}
}

// The core knows values only: no files, no network, no database, no clock of
// its own, nothing of the product but itself.
func TestTheCoreKnowsOnlyValues(t *testing.T) {
	barred := []string{"os", "net", "net/http", "database/sql", "io/fs", "log", "log/slog", "embed", "os/exec"}
	seen := 0
	for _, p := range packages(t) {
		if !strings.HasPrefix(p.ImportPath, "neokinema/core/") {
			continue
		}
		seen++
		for _, i := range p.Imports {
			first, _, _ := strings.Cut(i, "/")
			own := strings.HasPrefix(i, "neokinema/core/")
			if slices.Contains(barred, i) || strings.Contains(first, ".") && !strings.HasPrefix(i, "gonum.org/v1/gonum/") || strings.HasPrefix(i, "neokinema/") && !own {
				t.Errorf("%s imports %s", p.ImportPath, i)
			}
		}
	}
	if seen < 10 {
		t.Errorf("only %d rooms of the core were seen", seen)
	}
}

// web → api → store, media, jobs → core: each room may know those to its right.
func TestArrowsPointOneWay(t *testing.T) {
	may := map[string][]string{
		"playbook":               {"core"},
		"weights":                {"core"},
		"server/detect":          {"core"},
		"server/detect/convert":  {},
		"server/disk":            {},
		"server/postgres":        {"server/disk"},
		"server/postgres/pgtest": {"server/postgres"},
		"server/store/storetest": {"server/postgres/pgtest", "server/store"},
		"server/backup":          {"server/tasks", "server/postgres", "server/store"},
		"server/browser":         {},
		"server/cert":            {},
		"server/media":           {},
		"server/report":          {"core"},
		"server/coaching":        {"core", "server/analysis", "server/assemble", "server/report", "server/store"},
		"server/store":           {"core"},
		"server/render":          {"core", "server/browser", "web"},
		"server/analysis":        {"core", "playbook", "server/assemble", "server/store"},
		"server/tasks":           {"core", "server/browser", "server/detect", "server/analysis", "server/disk", "server/media", "server/assemble", "server/store", "server/render"},
		"server/auth":            {"server/store"},
		"server/assemble":        {"core", "server/media", "server/store", "weights"},
		"server/filmread":        {"core", "playbook", "server/assemble", "server/detect", "server/media", "server/store"},
		"server/api":             {"core", "playbook", "server/auth", "server/analysis", "server/coaching", "server/detect", "server/disk", "server/media", "server/assemble", "server/report", "server/store", "server/render"},
		"web":                    {},
	}
	for _, p := range packages(t) {
		room := strings.TrimPrefix(p.ImportPath, "neokinema/")
		allowed, ruled := may[room]
		if !ruled {
			if strings.HasPrefix(room, "server/") {
				t.Errorf("%s is a room without a rule", room)
			}
			continue
		}
		for _, i := range p.Imports {
			to, own := strings.CutPrefix(i, "neokinema/")
			if own && !slices.ContainsFunc(allowed, func(a string) bool { return to == a || strings.HasPrefix(to, a+"/") }) {
				t.Errorf("%s imports %s", room, to)
			}
		}
	}
}

// An event is a file: its id stands in its YAML, in the simulated athlete's
// movement and drawing, and in the demo club's story, and nowhere else.
func TestNothingElseKnowsAnEvent(t *testing.T) {
	files, err := filepath.Glob(filepath.Join(root, "playbook", "*.yaml"))
	if err != nil || len(files) < 5 {
		t.Fatal(files, err)
	}
	may := []string{"core/sim/", "server/render/", "demo/", "test/", "web/src/figure/"}
	for name, text := range tracked(t, ".go", ".ts", ".tsx") {
		if strings.HasSuffix(name, "_test.go") || strings.Contains(name, ".gen.") || slices.ContainsFunc(may, func(m string) bool { return strings.HasPrefix(name, m) }) {
			continue
		}
		for _, f := range files {
			id := strings.TrimSuffix(filepath.Base(f), ".yaml")
			if id == "running" && !regexp.MustCompile(`(?i)event\w*\W+(===?|==|case)?\W*['"]running['"]`).MatchString(text) {
				continue // a task is running too
			}
			if strings.Contains(text, `"`+id+`"`) || strings.Contains(text, `'`+id+`'`) {
				t.Errorf("%s knows the event %s", name, id)
			}
		}
	}
}

func TestTestsUseTheStandardLibraryAlone(t *testing.T) {
	for _, p := range packages(t) {
		for _, i := range append(p.TestImports, p.XTestImports...) {
			for _, bad := range []string{"testify", "gomega", "ginkgo", "goconvey", "quicktest", "gocheck", "go-cmp"} {
				if strings.Contains(i, bad) {
					t.Errorf("a test of %s imports %s", p.ImportPath, i)
				}
			}
		}
	}
}

// What is generated from the contract is what the contract says now.
func TestGeneratedFilesAreFresh(t *testing.T) {
	if testing.Short() {
		t.Skip("left out of the short tests")
	}
	dir := t.TempDir()
	config, err := os.ReadFile(filepath.Join(root, "api/server.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	goFile, tsFile, effects, bones := filepath.Join(dir, "api.gen.go"), filepath.Join(dir, "api.gen.d.ts"), filepath.Join(dir, "effects.gen.ts"), filepath.Join(dir, "body.gen.ts")
	moved := regexp.MustCompile(`(?m)^output: .*$`).ReplaceAll(config, []byte("output: "+goFile))
	if err := os.WriteFile(filepath.Join(dir, "server.yaml"), moved, 0o644); err != nil {
		t.Fatal(err)
	}
	for _, step := range []struct {
		in, made, kept string
		args           []string
	}{
		{root, goFile, "server/api/api.gen.go", []string{"go", "tool", "oapi-codegen", "-config", filepath.Join(dir, "server.yaml"), "api/openapi.yaml"}},
		{filepath.Join(root, "web"), tsFile, "web/src/ui/api.gen.d.ts", []string{"npx", "--no-install", "openapi-typescript", "../api/openapi.yaml", "-o", tsFile}},
		{root, effects, "web/src/bench/effects.gen.ts", []string{"sh", "-c", "go run ./api/typescript effects > " + effects}},
		{root, bones, "web/src/ui/body.gen.ts", []string{"sh", "-c", "go run ./api/typescript body > " + bones}},
	} {
		cmd := exec.Command(step.args[0], step.args[1:]...)
		cmd.Dir = step.in
		if out, err := cmd.CombinedOutput(); err != nil {
			t.Fatalf("%v: %v\n%s", step.args, err, out)
		}
		made, err := os.ReadFile(step.made)
		if err != nil {
			t.Fatal(err)
		}
		kept, err := os.ReadFile(filepath.Join(root, step.kept))
		if err != nil {
			t.Fatal(err)
		}
		if !bytes.Equal(made, kept) {
			t.Errorf("%s is stale: run make generate", step.kept)
		}
	}
}

// The contract's union of commands is what the core decodes: the same kinds, each
// with the same properties, of which those that are never left out are required.
func TestTheContractHasTheCoresCommands(t *testing.T) {
	doc, err := openapi3.NewLoader().LoadFromFile(filepath.Join(root, "api/openapi.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	var told []string
	for kind, ref := range doc.Components.Schemas["Command"].Value.Discriminator.Mapping {
		told = append(told, kind)
		if kind == breakdown.Undo || kind == breakdown.Redo {
			continue
		}
		c, err := breakdown.Empty(kind)
		if err != nil {
			t.Error(err)
			continue
		}
		schema := doc.Components.Schemas[ref.Ref[strings.LastIndex(ref.Ref, "/")+1:]].Value
		want, required := map[string]bool{"id": true, "version": true, "kind": true}, []string{"id", "version", "kind"}
		of := reflect.TypeOf(c).Elem()
		for i := range of.NumField() {
			name, options, _ := strings.Cut(of.Field(i).Tag.Get("json"), ",")
			if name == "" || name == "rateU" { // the server's to say
				continue
			}
			want[name] = true
			if options == "" {
				required = append(required, name)
			}
		}
		for name := range schema.Properties {
			if !want[name] {
				t.Errorf("the contract's %s has %q, the core's has not", kind, name)
			}
			delete(want, name)
		}
		for name := range want {
			t.Errorf("the contract's %s has no %q", kind, name)
		}
		if slices.Sort(required); !slices.Equal(required, slices.Sorted(slices.Values(schema.Required))) {
			t.Errorf("the contract's %s requires %v, the core %v", kind, schema.Required, required)
		}
	}
	slices.Sort(told)
	if want := slices.Sorted(slices.Values(append(breakdown.Kinds(), breakdown.Undo, breakdown.Redo))); !slices.Equal(told, want) {
		t.Errorf("the contract has the commands %v, the core %v", told, want)
	}
}

// tracked are the files of the repository that people write.
func tracked(t *testing.T, ends ...string) map[string]string {
	t.Helper()
	cmd := exec.Command("git", "ls-files")
	cmd.Dir = root
	out, err := cmd.Output()
	if err != nil {
		t.Skip("not a git checkout")
	}
	files := map[string]string{}
	for _, name := range strings.Fields(string(out)) {
		if !slices.ContainsFunc(ends, func(e string) bool { return strings.HasSuffix(name, e) }) {
			continue
		}
		data, err := os.ReadFile(filepath.Join(root, name))
		if err == nil {
			files[name] = string(data)
		}
	}
	return files
}

// Everything the app shows ships with it: no page loads from elsewhere.
func TestNothingIsLoadedFromElsewhere(t *testing.T) {
	address := regexp.MustCompile(`https?://[a-zA-Z0-9.-]+`)
	for name, text := range tracked(t, ".ts", ".tsx", ".html", ".css") {
		for _, a := range address.FindAllString(text, -1) {
			if a != "http://www.w3.org" && !strings.HasPrefix(a, "http://127.0.0.1") {
				t.Errorf("%s speaks of %s", name, a)
			}
		}
	}
}

// Every address in the documents leads to a file that is there.
func TestLinksInTheDocumentsLeadSomewhere(t *testing.T) {
	link := regexp.MustCompile(`\]\(([^)#]+)(#[^)]*)?\)`)
	for name, text := range tracked(t, ".md") {
		for _, m := range link.FindAllStringSubmatch(text, -1) {
			if strings.Contains(m[1], "://") {
				continue
			}
			if _, err := os.Stat(filepath.Join(root, filepath.Dir(name), m[1])); err != nil {
				t.Errorf("%s links to %s, which is not there", name, m[1])
			}
		}
	}
}

// Colours that carry words are readable: 4.5 to 1 on their ground.
func TestColoursAreReadable(t *testing.T) {
	data, err := os.ReadFile(filepath.Join(root, "web/src/ui/theme.ts"))
	if err != nil {
		t.Fatal(err)
	}
	pair := regexp.MustCompile(`(\w+): pair\('(#[0-9A-F]{6})', '(#[0-9A-F]{6})'\)`)
	colours := map[string][2]string{}
	for _, m := range pair.FindAllStringSubmatch(string(data), -1) {
		colours[m[1]] = [2]string{m[2], m[3]}
	}
	for mode, name := range []string{"light", "dark"} {
		for _, ground := range []string{"paper", "raised"} {
			for _, text := range []string{"ink", "soft", "brick", "sky", "grass", "ochre", "plum", "mist"} {
				if c := contrast(colours[text][mode], colours[ground][mode]); c < 4.5 {
					t.Errorf("%s on %s is %.1f to 1 in the %s mode", text, ground, c, name)
				}
			}
		}
	}
}

// The core's functions that only tests reach are those that docs/decisions.md
// names, each with what will use it.
func TestUnreachedCodeIsNamed(t *testing.T) {
	if testing.Short() {
		t.Skip("left out of the short tests")
	}
	page, err := os.ReadFile(filepath.Join(root, "docs/decisions.md"))
	if err != nil {
		t.Fatal(err)
	}
	named := map[string]bool{}
	for _, row := range regexp.MustCompile("(?m)^\\| `(core/[a-z]+)` \\| (.*) \\| .+ \\|$").FindAllStringSubmatch(string(page), -1) {
		for _, f := range regexp.MustCompile("`([^`]+)`").FindAllStringSubmatch(row[2], -1) {
			named[row[1]+" "+f[1]] = true
		}
	}
	cmd := exec.Command("go", "tool", "deadcode", "-f", `{{range .Funcs}}{{printf "%s %s\n" $.Path .Name}}{{end}}`, "./cmd/...", "./api/...", "./test/...")
	cmd.Dir = root
	out, err := cmd.Output()
	if err != nil {
		t.Fatal(err)
	}
	unreached := map[string]bool{}
	for _, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
		name := strings.TrimPrefix(line, "neokinema/")
		if !strings.HasPrefix(name, "core/") {
			continue
		}
		unreached[name] = true
		if !named[name] {
			t.Errorf("nothing reaches %s: use it, take it out, or name in docs/decisions.md what will use it", name)
		}
	}
	for name := range named {
		if !unreached[name] {
			t.Errorf("docs/decisions.md calls %s unreached, and it is not", name)
		}
	}
	if len(unreached) == 0 {
		t.Error("deadcode says nothing")
	}
}

// documents are the pages for people.
func documents(t *testing.T) map[string]string {
	t.Helper()
	out := map[string]string{}
	for _, pattern := range []string{"*.md", "docs/*.md"} {
		files, err := filepath.Glob(filepath.Join(root, pattern))
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range files {
			page, err := os.ReadFile(f)
			if err != nil {
				t.Fatal(err)
			}
			out[filepath.Base(f)] = string(page)
		}
	}
	return out
}

// The documents name folders, files and Make's targets that are there.
func TestDocumentsNameWhatIsThere(t *testing.T) {
	makefile, err := os.ReadFile(filepath.Join(root, "Makefile"))
	if err != nil {
		t.Fatal(err)
	}
	path := regexp.MustCompile("`((?:core|server|web|test|playbook|demo|api|cmd|docs|weights|scripts)/[A-Za-z0-9_./-]*)`")
	target := regexp.MustCompile("`make ([a-z-]+)`")
	for name, page := range documents(t) {
		for _, m := range path.FindAllStringSubmatch(page, -1) {
			if _, err := os.Stat(filepath.Join(root, m[1])); err != nil {
				t.Errorf("%s names %s, which is not there", name, m[1])
			}
		}
		for _, m := range target.FindAllStringSubmatch(page, -1) {
			if !regexp.MustCompile(`(?m)^` + m[1] + `:`).Match(makefile) {
				t.Errorf("%s names make %s, which is not there", name, m[1])
			}
		}
	}
}

// Every file that quotes a source from memory stands in docs/sources.md.
func TestSourcesFromMemoryAreListed(t *testing.T) {
	list := documents(t)["sources.md"]
	for _, folder := range []string{"core", "playbook", "server", "demo", "test"} {
		err := filepath.WalkDir(filepath.Join(root, folder), func(path string, d os.DirEntry, err error) error {
			if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") && !strings.HasSuffix(path, ".yaml") {
				return err
			}
			data, err := os.ReadFile(path)
			name, _ := filepath.Rel(root, path)
			if bytes.Contains(data, []byte("from memory")) && name != "playbook/playbook_test.go" && name != "test/architecture/architecture_test.go" && !strings.Contains(list, "`"+name+"`") {
				t.Errorf("%s quotes a source from memory and is not in docs/sources.md", name)
			}
			return err
		})
		if err != nil {
			t.Fatal(err)
		}
	}
}

// Every library that this program asks for by name stands in THIRD_PARTY.md.
func TestLibrariesAreNamed(t *testing.T) {
	list := documents(t)["THIRD_PARTY.md"]
	module, err := os.ReadFile(filepath.Join(root, "go.mod"))
	if err != nil {
		t.Fatal(err)
	}
	for _, m := range regexp.MustCompile(`(?m)^\t(\S+) v\S+$`).FindAllStringSubmatch(string(module), -1) {
		if !strings.Contains(list, m[1]) {
			t.Errorf("%s is not named in THIRD_PARTY.md", m[1])
		}
	}
	data, err := os.ReadFile(filepath.Join(root, "web/package.json"))
	if err != nil {
		t.Fatal(err)
	}
	var p struct{ Dependencies, DevDependencies map[string]string }
	if err := json.Unmarshal(data, &p); err != nil {
		t.Fatal(err)
	}
	for _, some := range []map[string]string{p.Dependencies, p.DevDependencies} {
		for name := range some {
			if !strings.Contains(list, "`"+name+"`") {
				t.Errorf("%s is not named in THIRD_PARTY.md", name)
			}
		}
	}
}
