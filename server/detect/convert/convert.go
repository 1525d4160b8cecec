package convert

import "fmt"

// operatorSet is the version of ONNX's operators that is written.
const operatorSet = 13

// ONNX converts a TensorFlow Lite file. Pictures have their channels last, inside
// the graph they come first. Only what leads to the outputs kept, by their number,
// is written; without any, all. The input is called "input", the outputs "out0",
// "out1" and so on.
func ONNX(file []byte, keep ...int) ([]byte, error) {
	n, err := read(file)
	if err != nil {
		return nil, err
	}
	c := &converter{network: n, wanted: map[int]bool{}, data: map[int][]float32{}, half: map[int]bool{}, last: map[int]bool{}}
	outs := n.out
	if len(keep) > 0 {
		outs = nil
		for _, i := range keep {
			if i < 0 || i >= len(n.out) {
				return nil, fmt.Errorf("the network has %d outputs, none is number %d", len(n.out), i)
			}
			outs = append(outs, n.out[i])
		}
	}
	c.want(outs)
	for i, t := range n.tensors {
		if len(t.data) > 0 {
			c.data[i], c.half[i] = t.floats(), t.kind == float16s
		}
	}
	in := n.in[0]
	c.node("Transpose", []string{"input"}, []string{name(in)}, attribute{"perm", []int{0, 3, 1, 2}})
	for _, o := range n.operators {
		if !c.wanted[o.out[0]] {
			continue
		}
		if err := c.operator(o); err != nil {
			return nil, err
		}
	}
	var results message
	for i, o := range outs {
		out := fmt.Sprintf("out%d", i)
		if shape := c.shape(o); len(shape) == 4 && !c.last[o] && shape[1] > 1 {
			c.node("Transpose", []string{name(o)}, []string{out}, attribute{"perm", []int{0, 2, 3, 1}})
		} else {
			c.node("Identity", []string{name(o)}, []string{out})
		}
		results.bytes(12, port(out, c.shape(o)))
	}
	body := append(message{}, c.nodes...)
	body.text(2, "body")
	body = append(body, c.constants...)
	body.bytes(11, port("input", c.shape(in)))
	body = append(body, results...)
	var model, operators message
	model.number(1, 8) // version of the format
	model.text(2, "neokinema")
	model.bytes(7, body)
	operators.text(1, "")
	operators.number(2, operatorSet)
	model.bytes(8, operators)
	return model, nil
}

// converter writes the operators of a network one by one.
type converter struct {
	network
	graph
	wanted map[int]bool
	data   map[int][]float32 // constants
	half   map[int]bool      // constants that came in half precision
	last   map[int]bool      // tensors that have their channels last
}

func name(i int) string { return fmt.Sprintf("t%d", i) }

func (c *converter) shape(i int) []int { return c.tensors[i].shape }

// want marks what the outputs are computed from.
func (c *converter) want(outs []int) {
	for _, o := range outs {
		c.wanted[o] = true
	}
	for i := len(c.operators) - 1; i >= 0; i-- {
		for _, out := range c.operators[i].out {
			if c.wanted[out] {
				for _, in := range c.operators[i].in {
					c.wanted[in] = true
				}
				break
			}
		}
	}
}

// raw is where an operator writes before its fused activation.
func raw(activation, out int) string {
	if activation == 0 {
		return name(out)
	}
	return name(out) + "_raw"
}

// activate writes a fused activation: none, relu, or relu up to 6.
func (c *converter) activate(activation, out int) error {
	from, to := []string{name(out) + "_raw"}, []string{name(out)}
	switch activation {
	case 0:
	case 1:
		c.node("Relu", from, to)
	case 3:
		c.floats(name(out)+"_low", nil, []float32{0}, false)
		c.floats(name(out)+"_high", nil, []float32{6}, false)
		c.node("Clip", append(from, name(out)+"_low", name(out)+"_high"), to)
	default:
		return fmt.Errorf("the activation %d is not known", activation)
	}
	return nil
}

// pads are the zeros before and after a row of size: padding 0 is as many as
// give an output for every stride, 1 is none.
func pads(padding, size, kernel, stride, dilation int) (before, after int) {
	if padding == 1 {
		return 0, 0
	}
	outputs := (size + stride - 1) / stride
	total := max((outputs-1)*stride+(kernel-1)*dilation+1-size, 0)
	return total / 2, total - total/2
}

func (c *converter) operator(o operator) error {
	out := o.out[0]
	y, x := name(out), name(o.in[0])
	switch o.code {
	case opDequantize, opDensify:
		c.data[out], c.half[out] = c.data[o.in[0]], c.half[o.in[0]]
	case opConv, opDepthwiseConv:
		return c.convolution(o)
	case opMaxPool, opAveragePool:
		across, down, wide, tall := o.options.int(1, 1), o.options.int(2, 1), o.options.int(3, 1), o.options.int(4, 1)
		top, bottom := pads(o.options.byte(0), c.shape(o.in[0])[1], tall, down, 1)
		left, right := pads(o.options.byte(0), c.shape(o.in[0])[2], wide, across, 1)
		kind := map[int]string{opMaxPool: "MaxPool", opAveragePool: "AveragePool"}[o.code]
		c.node(kind, []string{x}, []string{y}, attribute{"kernel_shape", []int{tall, wide}}, attribute{"strides", []int{down, across}}, attribute{"pads", []int{top, left, bottom, right}})
	case opAdd, opMul:
		for _, i := range o.in {
			if c.data[i] != nil {
				return fmt.Errorf("operator %d with a constant is not known", o.code)
			}
		}
		activation := o.options.byte(0)
		c.node(map[int]string{opAdd: "Add", opMul: "Mul"}[o.code], []string{x, name(o.in[1])}, []string{raw(activation, out)})
		return c.activate(activation, out)
	case opDepthToSpace:
		c.node("DepthToSpace", []string{x}, []string{y}, attribute{"blocksize", o.options.int(0, 1)}, attribute{"mode", "DCR"})
	case opRelu:
		c.node("Relu", []string{x}, []string{y})
	case opLogistic:
		c.node("Sigmoid", []string{x}, []string{y})
		c.last[out] = c.last[o.in[0]]
	case opPad:
		p := c.tensors[o.in[1]].whole() // before and after, of pictures, rows, columns, channels
		c.ints(y+"_pads", []int{p[0], p[6], p[2], p[4], p[1], p[7], p[3], p[5]})
		c.node("Pad", []string{x, y + "_pads"}, []string{y})
	case opResize:
		c.resize(o)
	case opReshape:
		from := x
		if shape := c.shape(o.in[0]); len(shape) == 4 && !c.last[o.in[0]] && shape[1]*shape[2] > 1 {
			c.node("Transpose", []string{from}, []string{y + "_last"}, attribute{"perm", []int{0, 2, 3, 1}})
			from = y + "_last"
		}
		c.ints(y+"_shape", c.shape(out))
		c.node("Reshape", []string{from, y + "_shape"}, []string{y})
		c.last[out] = true
	case opConcatenation:
		var in []string
		last := true
		for _, i := range o.in {
			in = append(in, name(i))
			last = last && c.last[i]
		}
		axis := o.options.int(0, 0)
		if !last {
			axis = []int{0, 2, 3, 1}[(axis+4)%4]
		}
		c.last[out] = last
		c.node("Concat", in, []string{y}, attribute{"axis", axis})
	default:
		return fmt.Errorf("operator %d is not known", o.code)
	}
	return nil
}

// convolution writes a convolution, with its weights turned to channels first.
func (c *converter) convolution(o operator) error {
	out := o.out[0]
	weights, shape := c.data[o.in[1]], c.shape(o.in[1])
	tall, wide, inner, outer := shape[1], shape[2], shape[3], shape[0]
	across, down := o.options.int(1, 1), o.options.int(2, 1)
	activation, dilateX, dilateY := o.options.byte(3), o.options.int(4, 1), o.options.int(5, 1)
	dims, groups := []int{outer, inner, tall, wide}, 1
	deep := o.code == opDepthwiseConv
	if deep {
		activation, dilateX, dilateY = o.options.byte(4), o.options.int(5, 1), o.options.int(6, 1)
		outer = inner
		dims, groups = []int{outer, 1, tall, wide}, c.shape(o.in[0])[3]
	}
	turned := make([]float32, len(weights))
	area := tall * wide
	for i := range turned {
		if deep { // one, row, column, channel
			turned[i] = weights[i%area*outer+i/area]
			continue
		}
		to, rest := i/(inner*area), i%(inner*area) // out, row, column, in
		turned[i] = weights[(to*area+rest%area)*inner+rest/area]
	}
	y := name(out)
	c.floats(y+"_weights", dims, turned, c.half[o.in[1]])
	in := []string{name(o.in[0]), y + "_weights"}
	if len(o.in) > 2 && o.in[2] >= 0 {
		c.floats(y+"_bias", []int{outer}, c.data[o.in[2]], c.half[o.in[2]])
		in = append(in, y+"_bias")
	}
	top, bottom := pads(o.options.byte(0), c.shape(o.in[0])[1], tall, down, dilateY)
	left, right := pads(o.options.byte(0), c.shape(o.in[0])[2], wide, across, dilateX)
	c.node("Conv", in, []string{raw(activation, out)}, attribute{"kernel_shape", []int{tall, wide}}, attribute{"strides", []int{down, across}},
		attribute{"dilations", []int{dilateY, dilateX}}, attribute{"group", groups}, attribute{"pads", []int{top, left, bottom, right}})
	return c.activate(activation, out)
}

// resize writes a bilinear resize.
func (c *converter) resize(o operator) {
	mode := "asymmetric"
	switch {
	case o.options.byte(2) == 1:
		mode = "align_corners"
	case o.options.byte(3) == 1:
		mode = "half_pixel"
	}
	y, to, from := name(o.out[0]), c.shape(o.out[0]), c.shape(o.in[0])
	c.floats(y+"_scale", []int{4}, []float32{1, 1, float32(to[1]) / float32(from[1]), float32(to[2]) / float32(from[2])}, false)
	c.node("Resize", []string{name(o.in[0]), "", y + "_scale"}, []string{y}, attribute{"mode", "linear"}, attribute{"coordinate_transformation_mode", mode})
}
