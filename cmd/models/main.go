// The program models fetches the networks that find bodies and the library that
// runs them, into a folder: go run ./cmd/models models. It asks npm for the packed
// archives, runs nothing of them, takes out the files that are needed, writes the
// networks as ONNX, and checks archives and results by hash. What is there and
// right is left alone.
package main

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"

	"neokinema/server/detect/convert"
)

// archive is an npm package and what is taken out of it.
type archive struct {
	Package   string // name@version
	Integrity string // as npm's lock files have it
	Files     []file
}

// file is one file of an archive. Networks have the outputs that are kept; First
// cuts a file that holds several.
type file struct {
	From   string
	First  int
	Keep   []int
	Arch   string // only on machines of this architecture
	To     string
	SHA256 string // of what is written
}

func main() {
	log.SetFlags(0)
	if len(os.Args) != 2 {
		log.Fatal("say where the models go: models FOLDER")
	}
	if err := fetch(os.Args[1]); err != nil {
		log.Fatalf("The body models could not be fetched: %v", err)
	}
}

func fetch(folder string) error {
	list, err := os.ReadFile(filepath.Join(folder, "packages.json"))
	if err != nil {
		return err
	}
	var archives []archive
	if err := json.Unmarshal(list, &archives); err != nil {
		return fmt.Errorf("packages.json: %w", err)
	}
	for _, a := range archives {
		var missing []file
		for _, f := range a.Files {
			if (f.Arch == "" || f.Arch == runtime.GOARCH) && !isThere(filepath.Join(folder, f.To), f.SHA256) {
				missing = append(missing, f)
			}
		}
		if len(missing) == 0 {
			continue
		}
		fmt.Printf("Fetching %s.\n", a.Package)
		packed, err := pack(a)
		if err != nil {
			return fmt.Errorf("%s: %w", a.Package, err)
		}
		if err := unpack(packed, missing, folder); err != nil {
			return fmt.Errorf("%s: %w", a.Package, err)
		}
	}
	return nil
}

// isThere reports whether a file has the content that its hash tells.
func isThere(path, want string) bool {
	data, err := os.ReadFile(path)
	return err == nil && want != "" && hashOf(data) == want
}

func hashOf(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// pack is a package's archive, checked against its integrity.
func pack(a archive) ([]byte, error) {
	folder, err := os.MkdirTemp("", "neokinema-models-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(folder)
	var said bytes.Buffer
	cmd := exec.Command("npm", "pack", "--ignore-scripts", "--loglevel=error", "--pack-destination", folder, a.Package)
	cmd.Stderr = &said
	if err := cmd.Run(); err != nil {
		return nil, fmt.Errorf("npm pack: %w: %s", err, strings.TrimSpace(said.String()))
	}
	found, err := filepath.Glob(filepath.Join(folder, "*.tgz"))
	if err != nil || len(found) != 1 {
		return nil, errors.Join(err, fmt.Errorf("npm packed %d archives", len(found)))
	}
	data, err := os.ReadFile(found[0])
	if err != nil {
		return nil, err
	}
	sum := sha512.Sum512(data)
	if got := "sha512-" + base64.StdEncoding.EncodeToString(sum[:]); got != a.Integrity {
		return nil, fmt.Errorf("the archive is not the one that was chosen: its integrity is %s", got)
	}
	return data, nil
}

// unpack takes files out of a packed archive.
func unpack(packed []byte, files []file, folder string) error {
	z, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		return err
	}
	left := len(files)
	for t := tar.NewReader(z); left > 0; {
		head, err := t.Next()
		if errors.Is(err, io.EOF) {
			return fmt.Errorf("%d files are not in the archive", left)
		}
		if err != nil {
			return err
		}
		for _, f := range files {
			if head.Name != f.From {
				continue
			}
			data, err := io.ReadAll(t)
			if err != nil {
				return err
			}
			if err := f.write(data, folder); err != nil {
				return fmt.Errorf("%s: %w", f.To, err)
			}
			left--
		}
	}
	return nil
}

// write writes what becomes of a file.
func (f file) write(data []byte, folder string) (err error) {
	if f.First > 0 {
		data = data[:min(f.First, len(data))]
	}
	if strings.HasSuffix(f.To, ".onnx") {
		if data, err = convert.ONNX(data, f.Keep...); err != nil {
			return err
		}
	}
	if got := hashOf(data); got != f.SHA256 {
		return fmt.Errorf("it came out as another file: its hash is %s", got)
	}
	part := filepath.Join(folder, f.To+".part")
	if err := os.WriteFile(part, data, 0o644); err != nil {
		return err
	}
	return os.Rename(part, filepath.Join(folder, f.To))
}
