package media

import (
	"bytes"
	"slices"
	"strings"
	"testing"
)

// Whatever ffprobe prints, stamps come out sorted, each once, and no more of
// them than lines.
func FuzzStamps(f *testing.F) {
	f.Add("0,0,K__\n512,512,___\n")
	f.Add("N/A,7,K__\n-3,N/A,_D_\n,,\n")
	f.Fuzz(func(t *testing.T, said string) {
		pts, held, err := stamps(strings.NewReader(said))
		if err != nil {
			return
		}
		if len(pts) > held || held > strings.Count(said, "\n")+1 || !slices.IsSorted(pts) || len(slices.Compact(slices.Clone(pts))) != len(pts) {
			t.Errorf("%q gives %v of %d", said, pts, held)
		}
	})
}

// However a stream is cut, pictures end where a JPEG ends and no byte is lost.
func FuzzSplit(f *testing.F) {
	f.Add([]byte("\xff\xd8one\xff\xd9\xff\xd8two\xff\xd9"))
	f.Add([]byte("\xff\xd9\xd9\xff\xd8"))
	f.Fuzz(func(t *testing.T, stream []byte) {
		var back []byte
		if err := split(bytes.NewReader(stream), func(jpeg []byte) error {
			if !bytes.HasSuffix(jpeg, []byte{0xff, 0xd9}) {
				t.Errorf("a picture ends with % x", jpeg[max(0, len(jpeg)-4):])
			}
			back = append(back, jpeg...)
			return nil
		}); err != nil {
			t.Fatal(err)
		}
		if !bytes.HasPrefix(stream, back) || bytes.Contains(stream[len(back):], []byte{0xff, 0xd9}) {
			t.Errorf("% x gives % x", stream, back)
		}
	})
}
