package coaching

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"image"
	"maps"
	"slices"
	"strings"

	"github.com/google/uuid"

	"neokinema/core/body"
	"neokinema/core/judge"
	"neokinema/server/assemble"
	"neokinema/server/report"
	"neokinema/server/store"
)

// Strip is an attempt's key positions in one row.
func (s Service) Strip(ctx context.Context, viewer, id uuid.UUID) (report.Strip, error) {
	var out report.Strip
	b, err := s.Store.Bench(ctx, viewer, id)
	if err != nil {
		return out, err
	}
	if len(b.Stamps) == 0 {
		return out, store.Invalid("nothing is stamped yet: the strip shows the key positions")
	}
	r, e, err := s.readAs(ctx, viewer, b)
	if err != nil {
		return out, err
	}
	out = report.Strip{
		Title: fmt.Sprintf("%s · %s %d · %s", b.Athlete.Name, e.Name, b.Attempt.Number, Day(b.Attempt.Day)),
		Below: fmt.Sprintf("%s. Times from the %s; ± is two standard uncertainties. Filmed at %.0f pictures a second.", b.Attempt.Place, strings.ToLower(zeroName(r, e.Zero)), b.Clip.CaptureRate),
	}
	times := slices.Clone(r.KeyTimes)
	slices.SortStableFunc(times, func(a, b assemble.KeyTime) int { return cmp.Compare(a.T, b.T) })
	half := 0
	for _, k := range times {
		half = max(half, around(b, k.Frame).Dy()/2)
	}
	for _, k := range times {
		cell, err := s.cell(ctx, viewer, b, r, k, half)
		if err != nil {
			return out, err
		}
		key, _ := e.Key(k.KeyID)
		cell.Name, cell.Time = key.Name, fmt.Sprintf("%.3f s ± %.3f", k.T, 2*k.U)
		out.Cells = append(out.Cells, cell)
	}
	return out, nil
}

// Pose is the athlete at a key position with the placed figure, as PNG; without a
// key position at the one with most landmarks. The part of the picture is as high
// as the figure says, so that two attempts stand at one size.
func (s Service) Pose(ctx context.Context, viewer, id uuid.UUID, keyID string) ([]byte, error) {
	b, r, err := s.read(ctx, viewer, id)
	if err != nil {
		return nil, err
	}
	if keyID == "" {
		keyID = fullest(b)
	}
	i := slices.IndexFunc(r.KeyTimes, func(x assemble.KeyTime) bool { return x.KeyID == keyID })
	if i < 0 {
		return nil, store.Invalid("this key position is not stamped")
	}
	half := around(b, r.KeyTimes[i].Frame).Dy() / 2
	if px := assemble.PxHeight(b, r); px > 0 {
		half = int(0.75 * px * float64(b.Clip.ShownWidth()) / float64(b.Clip.Width))
	}
	cell, err := s.cell(ctx, viewer, b, r, r.KeyTimes[i], half)
	if err != nil {
		return nil, err
	}
	var png bytes.Buffer
	err = cell.WritePNG(&png)
	return png.Bytes(), err
}

// Figure is the placed figure at a key position, in heights of the body.
func (s Service) Figure(ctx context.Context, viewer, id uuid.UUID, keyID string) (assemble.Figure, error) {
	b, r, err := s.read(ctx, viewer, id)
	if err != nil {
		return assemble.Figure{}, err
	}
	scale := 0.0
	if r.Scale != nil {
		scale = r.Scale.PxPerM
	}
	return assemble.FigureAt(s.Playbooks[b.Attempt.Event], b, keyID, scale)
}

// read is an attempt that has a clip, with its reading.
func (s Service) read(ctx context.Context, viewer, id uuid.UUID) (store.Bench, assemble.Reading, error) {
	b, err := s.Store.Bench(ctx, viewer, id)
	if err == nil && b.Clip == nil {
		err = store.Invalid("add a clip first")
	}
	if err != nil {
		return b, assemble.Reading{}, err
	}
	r, err := s.Analysis.Reading(ctx, viewer, b)
	return b, r, err
}

// fullest is the stamped key position with most landmarks, the earlier of two;
// empty: nothing is stamped.
func fullest(b store.Bench) string {
	placed := map[int]int{}
	for _, l := range b.Landmarks {
		placed[l.Frame]++
	}
	best := ""
	for _, key := range slices.Sorted(maps.Keys(b.Stamps)) {
		frame := b.Stamps[key]
		if best == "" || placed[frame] > placed[b.Stamps[best]] || placed[frame] == placed[b.Stamps[best]] && frame < b.Stamps[best] {
			best = key
		}
	}
	return best
}

// mostArcs is how many angles a cell can show and stay readable.
const mostArcs = 2

// cell is the athlete on a stamped picture with the placed figure; half is half of
// the part's height that is shown, px.
func (s Service) cell(ctx context.Context, viewer uuid.UUID, b store.Bench, r assemble.Reading, key assemble.KeyTime, half int) (report.Cell, error) {
	box := around(b, key.Frame)
	cell := report.Cell{Middle: box.Min.Add(box.Max).Div(2), Half: half}
	if !b.Clip.Filmless {
		var err error
		if cell.Picture, err = s.Store.Picture(ctx, viewer, b.Clip.ID, key.Frame); err != nil {
			return cell, err
		}
	}
	figure(&cell, assemble.Working(s.Playbooks[b.Attempt.Event], b), b, r, key)
	return cell, nil
}

// zeroName is the key position at which the score begins, in words.
func zeroName(r assemble.Reading, zero []string) string {
	if r.Zero != "" {
		return strings.ReplaceAll(r.Zero, "-", " ")
	}
	return strings.Join(zero, " or ")
}

// figure draws what is placed on a picture and the angles measured there.
func figure(cell *report.Cell, working body.Side, b store.Bench, r assemble.Reading, key assemble.KeyTime) {
	shown := float64(b.Clip.ShownWidth()) / float64(b.Clip.Width)
	point := func(x, y float64) image.Point { return image.Pt(int(x*shown+0.5), int(y*shown+0.5)) }
	at := map[body.Landmark][2]float64{}
	for _, l := range b.Landmarks {
		if l.Frame == key.Frame {
			at[body.Landmark(l.Name)] = [2]float64{l.X * shown, l.Y * shown}
		}
	}
	cell.Figure = report.Figure{At: at, Working: working}
	for _, v := range r.Values {
		if v.KeyID != key.KeyID || !v.Known() || v.Unit != "deg" || len(cell.Arcs) >= mostArcs || v.Verdict == judge.NoBand {
			continue
		}
		for _, d := range v.Overlays {
			if d.Kind == "arc" && d.Frame == key.Frame && d.Vertex != nil {
				cell.Arcs = append(cell.Arcs, report.Arc{Vertex: point(d.Vertex.X, d.Vertex.Y), From: point(d.From.X, d.From.Y), To: point(d.To.X, d.To.Y),
					Label: fmt.Sprintf("%.0f° ± %.0f", v.Value.Value, 2*v.U)})
				break
			}
		}
	}
}

// enough is how many landmarks tell where an athlete is.
const enough = 6

// around is the part of a shown picture that holds the athlete, 4 to 3: from
// the landmarks nearest in time, else from the frame drawn round them, else
// the whole picture.
func around(b store.Bench, frame int) image.Rectangle {
	counts := map[int]int{}
	best := -1
	for _, l := range b.Landmarks {
		if !body.Landmark(l.Name).OfBody() {
			continue
		}
		counts[l.Frame]++
		if counts[l.Frame] >= enough && (best < 0 || abs(l.Frame-frame) < abs(best-frame)) {
			best = l.Frame
		}
	}
	shown := float64(b.Clip.ShownWidth()) / float64(b.Clip.Width)
	at := func(x, y float64) image.Point { return image.Pt(int(x*shown), int(y*shown)) }
	box := image.Rectangle{}
	for _, l := range b.Landmarks {
		if l.Frame == best && body.Landmark(l.Name).OfBody() {
			p := at(l.X, l.Y)
			box = box.Union(image.Rectangle{Min: p, Max: p.Add(image.Pt(1, 1))})
		}
	}
	if s := b.Calibration.Subject; s != nil && best < 0 {
		box = image.Rectangle{Min: at(s.A.X, s.A.Y), Max: at(s.B.X, s.B.Y)}.Canon()
	}
	if box.Empty() {
		return image.Rectangle{Max: at(float64(b.Clip.Width), float64(b.Clip.Height))}
	}
	middle := box.Min.Add(box.Max).Div(2)
	half := max(box.Dx(), box.Dy()*4/3) * 3 / 4
	return image.Rect(middle.X-half, middle.Y-half*3/4, middle.X+half, middle.Y+half*3/4)
}

func abs(n int) int { return max(n, -n) }
