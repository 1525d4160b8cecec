// Package detect finds people and their bodies' landmarks on pictures, with
// networks that are run natively by a library which is opened when the program
// runs. Networks and library are fetched when the program is built (cmd/models);
// without them Open says what is missing, and everything else goes on.
package detect

import (
	"cmp"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"slices"
	"sync"

	ort "github.com/yalue/onnxruntime_go"

	"neokinema/core/pose"
)

// Files of a folder of models.
const (
	library     = "libonnxruntime.so.1"
	personModel = "person.onnx"
	bodyModel   = "body.onnx"
)

// Folder is where the models are: beside the program, or where it was built.
func Folder() string {
	if own := os.Getenv("NEOKINEMA_MODELS"); own != "" {
		return own
	}
	program, err := os.Executable()
	if err != nil {
		return "models"
	}
	for _, folder := range []string{filepath.Join(filepath.Dir(program), "models"), filepath.Join(filepath.Dir(program), "..", "models")} {
		if _, err := os.Stat(filepath.Join(folder, bodyModel)); err == nil {
			return folder
		}
	}
	return "models"
}

// Missing names the first file that a folder of models lacks; empty: none.
func Missing(folder string) string {
	for _, name := range []string{library, personModel, bodyModel} {
		if _, err := os.Stat(filepath.Join(folder, name)); err != nil {
			return filepath.Join(folder, name)
		}
	}
	return ""
}

var (
	once   sync.Once
	opened error
)

// Finder finds one body, on one thread. It may not be used by two at once.
type Finder struct {
	person, body *network
}

// Open loads the networks of a folder.
func Open(folder string) (*Finder, error) {
	if lacking := Missing(folder); lacking != "" {
		return nil, fmt.Errorf("bodies are not found on films: %s is missing (make models)", lacking)
	}
	once.Do(func() {
		ort.SetSharedLibraryPath(filepath.Join(folder, library))
		opened = ort.InitializeEnvironment()
	})
	if opened != nil {
		return nil, fmt.Errorf("bodies are not found on films: %w", opened)
	}
	person, err := load(filepath.Join(folder, personModel), personSize, ort.NewShape(1, anchors, 12), ort.NewShape(1, anchors, 1))
	if err != nil {
		return nil, err
	}
	body, err := load(filepath.Join(folder, bodyModel), bodySize, ort.NewShape(1, 5*bodyPoints), ort.NewShape(1, 1), ort.NewShape(1, heatSize, heatSize, bodyPoints))
	if err != nil {
		person.close()
		return nil, err
	}
	return &Finder{person: person, body: body}, nil
}

// Close frees the networks.
func (f *Finder) Close() {
	f.person.close()
	f.body.close()
}

// network is a loaded network with its input and outputs.
type network struct {
	session *ort.AdvancedSession
	in      *ort.Tensor[float32]
	outs    []*ort.Tensor[float32]
}

func load(file string, size int64, outs ...ort.Shape) (n *network, err error) {
	n = &network{}
	defer func() {
		if err != nil {
			n.close()
			n = nil
		}
	}()
	if n.in, err = ort.NewEmptyTensor[float32](ort.NewShape(1, size, size, 3)); err != nil {
		return n, err
	}
	var names []string
	var values []ort.Value
	for i, shape := range outs {
		t, err := ort.NewEmptyTensor[float32](shape)
		if err != nil {
			return n, err
		}
		n.outs = append(n.outs, t)
		names, values = append(names, fmt.Sprintf("out%d", i)), append(values, t)
	}
	options, err := ort.NewSessionOptions()
	if err != nil {
		return n, err
	}
	defer options.Destroy()
	if err = options.SetIntraOpNumThreads(1); err != nil {
		return n, err
	}
	if err = options.SetInterOpNumThreads(1); err != nil {
		return n, err
	}
	n.session, err = ort.NewAdvancedSession(file, []string{"input"}, names, []ort.Value{n.in}, values, options)
	return n, err
}

func (n *network) close() {
	if n.session != nil {
		n.session.Destroy()
	}
	if n.in != nil {
		n.in.Destroy()
	}
	for _, t := range n.outs {
		t.Destroy()
	}
}

const (
	personSize = 224 // px of the person network's picture
	anchors    = 2254
	bodySize   = 256 // px of the body network's picture
	heatSize   = 64  // squares across a heat map
	bodyPoints = 39  // 33 of the body, and those that tell where to look next
	hipsPoint  = 33  // the middle of the hips
	reachPoint = 34  // the end of head and reach
)

// grid is where the person network's anchors lie, as shares of the picture.
var grid = func() (out [][2]float64) {
	for _, level := range [][2]int{{28, 2}, {14, 2}, {7, 6}} {
		for row := range level[0] {
			for column := range level[0] {
				for range level[1] {
					out = append(out, [2]float64{(float64(column) + 0.5) / float64(level[0]), (float64(row) + 0.5) / float64(level[0])})
				}
			}
		}
	}
	return out
}()

func logistic(x float32) float64 { return 1 / (1 + math.Exp(-float64(x))) }

// Person is somebody who may be on a picture: where to look for the body, and how sure
// it is that somebody is there, 0 to 1.
type Person struct {
	Region
	Sure float64
}

// People are the persons within a region that is not turned, the likeliest first, each
// once.
func (f *Finder) People(p *Picture, in Region) ([]Person, error) {
	p.warp(f.person.in.GetData(), personSize, in, -1, 1, false)
	if err := f.person.session.Run(); err != nil {
		return nil, err
	}
	boxes, scores := f.person.outs[0].GetData(), f.person.outs[1].GetData()
	var all []Person
	for i := range scores {
		sure := logistic(scores[i])
		if sure < maybe {
			continue
		}
		point := func(k int) (x, y float64) {
			at := boxes[12*i+4+2*k:]
			return in.at(float64(at[0])/personSize+grid[i][0]-0.5, float64(at[1])/personSize+grid[i][1]-0.5)
		}
		x, y := point(0)
		endX, endY := point(1)
		all = append(all, Person{about(x, y, endX, endY), sure})
	}
	return each(all), nil
}

// each leaves of persons who are the same the surest, and those that are too small.
func each(all []Person) (out []Person) {
	const smallest = 16 // px
	slices.SortFunc(all, func(a, b Person) int { return cmp.Compare(b.Sure, a.Sure) })
	for _, p := range all {
		if p.Size > smallest && !slices.ContainsFunc(out, func(o Person) bool { return o.same(p.Region) }) {
			out = append(out, p)
		}
	}
	return out
}

// same reports whether two regions are round one body.
func (r Region) same(o Region) bool {
	return math.Hypot(r.X-o.X, r.Y-o.Y) < 0.3*math.Max(r.Size, o.Size)
}

// Body looks for the body's points within a region, twice: as it is and mirrored,
// and averages by how sure each is. It says where to look on the next picture.
func (f *Finder) Body(p *Picture, in Region) (pose.Look, Region, error) {
	look, next, err := f.look(p, in, false)
	if err != nil {
		return look, next, err
	}
	other, _, err := f.look(p, in, true)
	if err != nil {
		return look, next, err
	}
	sameSides(look, &other)
	for i, b := range other.Points {
		a := &look.Points[i]
		wa, wb := math.Max(a.Peak, 0.01), math.Max(b.Peak, 0.01)
		share := wb / (wa + wb)
		a.Apart = math.Hypot(a.X-b.X, a.Y-b.Y)
		a.X, a.Y = a.X*(1-share)+b.X*share, a.Y*(1-share)+b.Y*share
		a.Visible, a.Peak = a.Visible*(1-share)+b.Visible*share, a.Peak*(1-share)+b.Peak*share
	}
	look.Score = (look.Score + other.Score) / 2
	return look, next, nil
}

// limbs are points of the left side that a look may take for those of the right: a leg,
// its lower part, an arm.
var limbs = [][]int{{25, 27, 29, 31}, {27, 29, 31}, {13, 15, 17, 19, 21}}

// sameSides exchanges limbs of another look at the same picture where it has left and
// right the other way round: the mean of both would lie between the limbs.
func sameSides(look pose.Look, other *pose.Look) {
	const clearly = 0.6
	for _, limb := range limbs {
		same, exchanged := 0.0, 0.0
		for _, l := range limb {
			r := pose.Mirrored(l)
			way := func(a, b int) float64 {
				return math.Hypot(look.Points[a].X-other.Points[b].X, look.Points[a].Y-other.Points[b].Y)
			}
			same, exchanged = same+way(l, l)+way(r, r), exchanged+way(l, r)+way(r, l)
		}
		if exchanged < clearly*same {
			for _, l := range limb {
				r := pose.Mirrored(l)
				other.Points[l], other.Points[r] = other.Points[r], other.Points[l]
			}
		}
	}
}

func (f *Finder) look(p *Picture, in Region, mirrored bool) (pose.Look, Region, error) {
	p.warp(f.body.in.GetData(), bodySize, in, 0, 1, mirrored)
	if err := f.body.session.Run(); err != nil {
		return pose.Look{}, Region{}, err
	}
	points, heat := f.body.outs[0].GetData(), f.body.outs[2].GetData()
	out := pose.Look{Score: float64(f.body.outs[1].GetData()[0]), Size: in.Size}
	var turn [2][2]float64
	for k := range bodyPoints {
		u, v := float64(points[5*k])/bodySize, float64(points[5*k+1])/bodySize
		peak := sharpen(heat, k, &u, &v)
		u, v = u-0.5, v-0.5
		to := k
		if mirrored {
			u = -u
			to = pose.Mirrored(k)
		}
		x, y := in.at(u, v)
		switch {
		case k < pose.Points:
			out.Points[to] = pose.Point{X: x, Y: y, Visible: logistic(points[5*k+3]), Peak: peak}
		case k == hipsPoint || k == reachPoint:
			turn[k-hipsPoint] = [2]float64{x, y}
		}
	}
	return out, about(turn[0][0], turn[0][1], turn[1][0], turn[1][1]), nil
}

// sharpen moves a point to the middle of its heat map's peak near it, and returns
// how high the peak is, 0 to 1.
func sharpen(heat []float32, k int, u, v *float64) float64 {
	const reach = 3
	column, row := int(math.Floor(*u*heatSize)), int(math.Floor(*v*heatSize))
	if column < 0 || row < 0 || column >= heatSize || row >= heatSize {
		return 0
	}
	var peak, sum, across, down float64
	for y := max(0, row-reach); y <= min(heatSize-1, row+reach); y++ {
		for x := max(0, column-reach); x <= min(heatSize-1, column+reach); x++ {
			w := logistic(heat[(y*heatSize+x)*bodyPoints+k])
			peak = math.Max(peak, w)
			sum += w
			across += (float64(x)) * w
			down += (float64(y)) * w
		}
	}
	const sure = 0.5
	if peak >= sure && sum > 0 {
		*u, *v = across/sum/heatSize, down/sum/heatSize
	}
	return peak
}
