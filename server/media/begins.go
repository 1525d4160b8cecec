package media

import (
	"bytes"
	"slices"
)

// HeadBytes is how much of a file Begins asks for.
const HeadBytes = 4096

// Begins refuses a file that does not begin as one of the containers that are
// taken: mov and mp4, matroska and webm, avi, and MPEG streams. It reads the
// first HeadBytes alone; whether the rest is a film is found when it is here.
func Begins(head []byte) error {
	at := func(from int, what ...string) bool {
		return slices.ContainsFunc(what, func(w string) bool {
			return len(head) >= from+len(w) && bytes.Equal(head[from:from+len(w)], []byte(w))
		})
	}
	switch {
	case at(4, "ftyp", "moov", "mdat", "wide", "free", "skip", "pnot"),
		at(0, "\x1aE\xdf\xa3"),
		at(0, "RIFF") && at(8, "AVI "),
		at(0, "\x00\x00\x01\xba", "\x00\x00\x01\xb3"),
		at(0, "G") && at(188, "G"), at(4, "G") && at(196, "G"):
		return nil
	}
	return NotAFilm("this file is not a film that can be opened: choose the clip itself, as the phone saved it")
}
