package convert

import (
	"encoding/binary"
	"errors"
	"fmt"
	"math"
)

// Kinds of numbers of a tensor.
const (
	float32s = 0
	float16s = 1
)

// Operators by their number in the schema.
const (
	opAdd           = 0
	opAveragePool   = 1
	opConcatenation = 2
	opConv          = 3
	opDepthwiseConv = 4
	opDepthToSpace  = 5
	opDequantize    = 6
	opLogistic      = 14
	opMaxPool       = 17
	opMul           = 18
	opRelu          = 19
	opReshape       = 22
	opResize        = 23
	opPad           = 34
	opDensify       = 124
)

// tensor is one array of a network; data is empty where it is computed.
type tensor struct {
	shape []int
	kind  int
	data  []byte
}

// operator computes tensors from tensors.
type operator struct {
	code    int
	in, out []int
	options table
}

// network is what a TensorFlow Lite file holds.
type network struct {
	tensors   []tensor
	operators []operator
	in, out   []int
}

// read reads a TensorFlow Lite file.
func read(b []byte) (n network, err error) {
	defer func() {
		if recover() != nil { // an offset beyond the end of a file that is cut short
			err = errors.New("this TensorFlow Lite file is damaged")
		}
	}()
	if len(b) < 8 || string(b[4:8]) != "TFL3" {
		return n, errors.New("this is no TensorFlow Lite file")
	}
	model := table{b, word(b, 0)}
	var codes []int
	for _, c := range model.tables(1) {
		codes = append(codes, max(c.byte(0), c.int(3, 0)))
	}
	buffers := model.tables(4)
	graph := model.tables(2)[0]
	n.in, n.out = graph.ints(1), graph.ints(2)
	for _, t := range graph.tables(0) {
		x := tensor{shape: t.ints(0), kind: t.byte(1)}
		if i := t.int(2, 0); i > 0 {
			at, count := buffers[i].vector(0)
			x.data = b[at : at+count]
		}
		if t.field(6) != 0 && len(x.data) > 0 {
			size, ok := map[int]int{float32s: 4, float16s: 2}[x.kind]
			if !ok {
				return n, fmt.Errorf("a sparse tensor holds numbers of kind %d", x.kind)
			}
			x.data = densify(t.sub(6), x.shape, x.data, size)
		}
		n.tensors = append(n.tensors, x)
	}
	for _, o := range graph.tables(3) {
		n.operators = append(n.operators, operator{codes[o.int(0, 0)], o.ints(1), o.ints(2), o.sub(4)})
	}
	return n, nil
}

// floats are a constant's numbers.
func (t tensor) floats() []float32 {
	switch t.kind {
	case float32s:
		out := make([]float32, len(t.data)/4)
		for i := range out {
			out[i] = math.Float32frombits(binary.LittleEndian.Uint32(t.data[4*i:]))
		}
		return out
	case float16s:
		out := make([]float32, len(t.data)/2)
		for i := range out {
			out[i] = fromHalf(binary.LittleEndian.Uint16(t.data[2*i:]))
		}
		return out
	}
	return nil
}

// whole are a constant's whole numbers.
func (t tensor) whole() []int {
	out := make([]int, len(t.data)/4)
	for i := range out {
		out[i] = signed(t.data, 4*i)
	}
	return out
}

// fromHalf is a number of half precision.
func fromHalf(h uint16) float32 {
	sign, exponent, fraction := uint32(h>>15)<<31, uint32(h>>10&31), uint32(h&1023)
	switch {
	case exponent == 0:
		v := float32(fraction) / (1 << 24)
		return math.Float32frombits(sign | math.Float32bits(v))
	case exponent == 31:
		return math.Float32frombits(sign | 255<<23 | fraction<<13)
	}
	return math.Float32frombits(sign | (exponent+112)<<23 | fraction<<13)
}

// toHalf is exact for numbers that came from half precision.
func toHalf(f float32) uint16 {
	bits := math.Float32bits(f)
	sign, exponent, fraction := uint16(bits>>16&0x8000), int(bits>>23&255)-112, bits&0x7fffff
	switch {
	case bits&0x7fffffff == 0:
		return sign
	case exponent <= 0:
		return sign | uint16((fraction|0x800000)>>uint(14-exponent))
	case exponent >= 31:
		return sign | 0x7c00
	}
	return sign | uint16(exponent)<<10 | uint16(fraction>>13)
}

// densify lays the numbers of a sparse tensor out in full; size is a number's
// bytes. Dimension by dimension the tensor is dense or in compressed rows, and
// may be cut into blocks.
func densify(sparsity table, shape []int, data []byte, size int) []byte {
	type dimension struct {
		compressed    bool
		size          int
		rows, indices []int
	}
	list := func(kind int, t table) []int {
		at, count := t.vector(0)
		out := make([]int, count)
		for i := range out {
			switch kind {
			case 1:
				out[i] = signed(t.b, at+4*i)
			case 2:
				out[i] = short(t.b, at+2*i)
			case 3:
				out[i] = int(t.b[at+i])
			}
		}
		return out
	}
	order, blocks := sparsity.ints(0), sparsity.ints(1)
	tables := sparsity.tables(2)
	dims := make([]dimension, len(tables))
	for i, t := range tables {
		dims[i] = dimension{compressed: t.byte(0) == 1, size: t.int(1, 0)}
		if dims[i].compressed {
			dims[i].rows, dims[i].indices = list(t.byte(2), t.sub(3)), list(t.byte(4), t.sub(5))
		}
	}
	block := make([]int, len(shape)) // a block's size along each dimension of the tensor
	for i := range block {
		block[i] = 1
	}
	total := size
	for _, n := range shape {
		total *= n
	}
	for i, dimension := range blocks {
		block[dimension] = dims[len(shape)+i].size
	}
	out := make([]byte, total)
	at := make([]int, len(dims)) // index along each stored dimension
	next := 0
	var walk func(level, parent int)
	walk = func(level, parent int) {
		if level == len(dims) {
			index := make([]int, len(shape))
			for i, o := range order {
				if o < len(shape) {
					index[o] += at[i] * block[o]
				} else {
					index[blocks[o-len(shape)]] += at[i]
				}
			}
			flat := 0
			for i, n := range shape {
				flat = flat*n + index[i]
			}
			copy(out[flat*size:], data[next*size:(next+1)*size])
			next++
			return
		}
		d := dims[level]
		if !d.compressed {
			for i := range d.size {
				at[level] = i
				walk(level+1, parent*d.size+i)
			}
			return
		}
		for k := d.rows[parent]; k < d.rows[parent+1]; k++ {
			at[level] = d.indices[k]
			walk(level+1, k)
		}
	}
	walk(0, 0)
	return out
}
