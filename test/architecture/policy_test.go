package architecture

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// The content policy takes fonts from files alone: one that the bundle carries inside
// itself is refused by the browser, with an error on every page.
func TestFontsShipAsFiles(t *testing.T) {
	sheets, err := filepath.Glob(filepath.Join(root, "web/dist/assets/*.css"))
	if err != nil || len(sheets) == 0 {
		t.Fatalf("the interface is not built: %v", err)
	}
	fonts := 0
	for _, name := range sheets {
		data, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		text := string(data)
		fonts += strings.Count(text, ".woff2")
		if strings.Contains(text, "url(data:font") || strings.Contains(text, "url(data:application/font") {
			t.Errorf("%s carries a font inside itself", filepath.Base(name))
		}
	}
	if fonts == 0 {
		t.Error("no fonts are shipped")
	}
}
