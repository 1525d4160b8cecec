package convert

import (
	"math"
	"strings"
	"testing"
)

// Half precision is unfolded and folded without loss, small numbers too.
func TestHalfPrecision(t *testing.T) {
	for bits, want := range map[uint16]float32{0x3c00: 1, 0xc000: -2, 0x7bff: 65504, 0x0001: 1.0 / (1 << 24), 0x0400: 1.0 / (1 << 14), 0x8000: 0} { // IEEE 754, binary16
		if got := fromHalf(bits); got != want {
			t.Errorf("%#04x is %g, not %g", bits, got, want)
		}
	}
	for bits := range uint16(0x7c00) {
		if got := toHalf(fromHalf(bits)); got != bits {
			t.Fatalf("%#04x comes back as %#04x", bits, got)
		}
	}
	if !math.IsInf(float64(fromHalf(0x7c00)), 1) {
		t.Error("infinity is lost")
	}
}

// Padding gives as many outputs as strides, and puts the odd zero last.
func TestPadding(t *testing.T) {
	for _, c := range []struct{ padding, size, kernel, stride, before, after int }{
		{1, 256, 3, 2, 0, 0}, {0, 256, 3, 2, 0, 1}, {0, 64, 3, 1, 1, 1}, {0, 7, 5, 1, 2, 2}, {0, 8, 2, 2, 0, 0},
	} {
		if before, after := pads(c.padding, c.size, c.kernel, c.stride, 1); before != c.before || after != c.after {
			t.Errorf("%+v: %d before, %d after", c, before, after)
		}
	}
}

func TestWhatIsNoNetworkIsRefused(t *testing.T) {
	for name, file := range map[string][]byte{"nothing": nil, "text": []byte("a network, perhaps"), "cut short": append([]byte{28, 0, 0, 0}, "TFL3 and then nothing"...)} {
		if _, err := ONNX(file); err == nil || !strings.Contains(err.Error(), "TensorFlow Lite") {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func FuzzONNX(f *testing.F) {
	f.Add(append([]byte{28, 0, 0, 0}, "TFL3aaaaaaaaaaaaaaaaaaaaaaaa"...))
	f.Fuzz(func(t *testing.T, file []byte) {
		if len(file) > 1<<12 {
			t.Skip()
		}
		_, _ = ONNX(file) // an error, but never the end of the program
	})
}
