// Package convert writes networks that come as TensorFlow Lite files as ONNX
// files, which the runtime of package detect reads. It knows the operators that
// the body networks use, and refuses others.
package convert

import "encoding/binary"

// table is a table of a flatbuffer: fields by their number in the schema.
type table struct {
	b  []byte
	at int
}

func word(b []byte, at int) int   { return int(binary.LittleEndian.Uint32(b[at:])) }
func signed(b []byte, at int) int { return int(int32(binary.LittleEndian.Uint32(b[at:]))) }
func short(b []byte, at int) int  { return int(binary.LittleEndian.Uint16(b[at:])) }

// field is where field n lies; 0 when it is absent.
func (t table) field(n int) int {
	if t.b == nil {
		return 0
	}
	fields := t.at - signed(t.b, t.at)
	if 4+2*n >= short(t.b, fields) {
		return 0
	}
	if off := short(t.b, fields+4+2*n); off != 0 {
		return t.at + off
	}
	return 0
}

// sub is the table that field n points to.
func (t table) sub(n int) table {
	f := t.field(n)
	if f == 0 {
		return table{}
	}
	return table{t.b, f + word(t.b, f)}
}

// vector is where the entries of field n begin, and how many there are.
func (t table) vector(n int) (at, count int) {
	f := t.field(n)
	if f == 0 {
		return 0, 0
	}
	v := f + word(t.b, f)
	return v + 4, word(t.b, v)
}

func (t table) tables(n int) []table {
	at, count := t.vector(n)
	out := make([]table, count)
	for i := range out {
		out[i] = table{t.b, at + 4*i + word(t.b, at+4*i)}
	}
	return out
}

func (t table) ints(n int) []int {
	at, count := t.vector(n)
	out := make([]int, count)
	for i := range out {
		out[i] = signed(t.b, at+4*i)
	}
	return out
}

func (t table) int(n, otherwise int) int {
	if f := t.field(n); f != 0 {
		return signed(t.b, f)
	}
	return otherwise
}

func (t table) byte(n int) int {
	if f := t.field(n); f != 0 {
		return int(t.b[f])
	}
	return 0
}
