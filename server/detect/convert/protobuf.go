package convert

import (
	"encoding/binary"
	"fmt"
	"math"
)

// message is a protocol buffer that is being written.
type message []byte

func (m *message) varint(v uint64) { *m = binary.AppendUvarint(*m, v) }

func (m *message) number(field, v int) {
	m.varint(uint64(field << 3))
	m.varint(uint64(int64(v)))
}

func (m *message) bytes(field int, b []byte) {
	m.varint(uint64(field<<3 | 2))
	m.varint(uint64(len(b)))
	*m = append(*m, b...)
}

func (m *message) text(field int, s string) { m.bytes(field, []byte(s)) }

// Kinds of numbers and of attributes in ONNX.
const (
	onnxFloat32 = 1
	onnxInt64   = 7
	onnxFloat16 = 10

	attributeInt    = 2
	attributeString = 3
	attributeInts   = 7
)

type attribute struct {
	name  string
	value any // int, string or []int
}

// graph is an ONNX graph that is being written.
type graph struct {
	nodes, constants message
	count            int
}

func (g *graph) node(op string, in, out []string, attributes ...attribute) {
	var n message
	for _, s := range in {
		n.text(1, s)
	}
	for _, s := range out {
		n.text(2, s)
	}
	g.count++
	n.text(3, fmt.Sprintf("%s_%d", op, g.count))
	n.text(4, op)
	for _, a := range attributes {
		var x message
		x.text(1, a.name)
		switch v := a.value.(type) {
		case int:
			x.number(3, v)
			x.number(20, attributeInt)
		case string:
			x.text(4, v)
			x.number(20, attributeString)
		case []int:
			for _, i := range v {
				x.number(8, i)
			}
			x.number(20, attributeInts)
		}
		n.bytes(5, x)
	}
	g.nodes.bytes(1, n)
}

func (g *graph) constant(name string, kind int, shape []int, raw []byte) {
	var t message
	for _, d := range shape {
		t.number(1, d)
	}
	t.number(2, kind)
	t.text(8, name)
	t.bytes(9, raw)
	g.constants.bytes(5, t)
}

func (g *graph) ints(name string, v []int) {
	var b []byte
	for _, i := range v {
		b = binary.LittleEndian.AppendUint64(b, uint64(int64(i)))
	}
	g.constant(name, onnxInt64, []int{len(v)}, b)
}

// floats writes numbers; those that came in half precision stay so, and the
// runtime unfolds them once, when it loads.
func (g *graph) floats(name string, shape []int, v []float32, half bool) {
	if half {
		b := make([]byte, 0, 2*len(v))
		for _, f := range v {
			b = binary.LittleEndian.AppendUint16(b, toHalf(f))
		}
		g.constant(name+"_half", onnxFloat16, shape, b)
		g.node("Cast", []string{name + "_half"}, []string{name}, attribute{"to", onnxFloat32})
		return
	}
	b := make([]byte, 0, 4*len(v))
	for _, f := range v {
		b = binary.LittleEndian.AppendUint32(b, math.Float32bits(f))
	}
	g.constant(name, onnxFloat32, shape, b)
}

// port describes an input or output of floats.
func port(name string, shape []int) message {
	var dims, tensor, kind, out message
	for _, d := range shape {
		var x message
		x.number(1, d)
		dims.bytes(1, x)
	}
	tensor.number(1, onnxFloat32)
	tensor.bytes(2, dims)
	kind.bytes(1, tensor)
	out.text(1, name)
	out.bytes(2, kind)
	return out
}
