package analysis

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"image"
	"image/draw"
	"image/jpeg"
	"runtime"

	"golang.org/x/sync/semaphore"
	"gonum.org/v1/gonum/spatial/r2"

	"neokinema/core/breakdown"
	"neokinema/core/circle"
	core "neokinema/core/playbook"
	"neokinema/core/pose"
	"neokinema/server/assemble"
	"neokinema/server/store"
)

// FoundCircle is a throwing circle that was found on a clip's first picture: its points
// of known places, and the scale that its width gives.
type FoundCircle struct {
	Points []breakdown.ControlPoint `json:"points"`
	Scale  breakdown.ScaleLine      `json:"scale"`
	U      float64                  `json:"u"`   // px, of the least certain point
	Rim    float64                  `json:"rim"` // share of the rim that is seen
}

// searches bounds how many circles are looked for at once: each takes a core for a
// second or two.
var searches = semaphore.NewWeighted(int64(max(1, runtime.GOMAXPROCS(0)/2)))

// Circle finds the throwing circle about the feet of the athlete who was found on an
// attempt's film.
func (d Service) Circle(ctx context.Context, e core.Event, b store.Bench) (FoundCircle, error) {
	if e.Ground.Kind != "circle" {
		return FoundCircle{}, store.Invalid("no circle is used in this event")
	}
	if b.Clip == nil || b.Clip.Status != "ready" || b.Clip.Filmless {
		return FoundCircle{}, store.Invalid("this attempt has no film yet")
	}
	guess, err := d.circleGuess(ctx, e, b)
	if err != nil {
		return FoundCircle{}, err
	}
	if err := searches.Acquire(ctx, 1); err != nil {
		return FoundCircle{}, err
	}
	defer searches.Release(1)
	data, err := d.Store.PictureOf(ctx, b.Clip.ID, b.Clip.First)
	if err != nil {
		return FoundCircle{}, err
	}
	kept, err := jpeg.Decode(bytes.NewReader(data))
	if err != nil {
		return FoundCircle{}, err
	}
	gray := image.NewGray(kept.Bounds())
	draw.Draw(gray, gray.Rect, kept, kept.Bounds().Min, draw.Src)
	scale := float64(b.Clip.Width) / float64(gray.Rect.Dx()) // px of the film that one of the kept picture is
	found, err := circle.Find(gray, guess)
	if errors.Is(err, circle.ErrNone) || errors.Is(err, circle.ErrTurn) {
		return FoundCircle{}, store.Invalid(err.Error())
	}
	if err != nil {
		return FoundCircle{}, err
	}
	out := FoundCircle{Rim: found.Rim}
	for _, p := range e.ControlPoints {
		if p.At[2] != 0 {
			continue
		}
		px, u := found.At(r2.Vec{X: p.At[0], Y: p.At[1]})
		px, u = r2.Scale(scale, px), scale*u
		if px.X < 0 || px.Y < 0 || px.X > float64(b.Clip.Width) || px.Y > float64(b.Clip.Height) {
			continue
		}
		out.Points = append(out.Points, breakdown.ControlPoint{Name: p.Name, At: p.At, Px: breakdown.Spot{X: px.X, Y: px.Y}, Frame: b.Clip.First})
		out.U = max(out.U, u)
	}
	if most := 3 * assemble.MarkU(b); out.U > most || len(out.Points) < 4 {
		return FoundCircle{}, store.Invalid("too little of the circle is in the picture to tell its points: mark them by hand")
	}
	ends := [2]r2.Vec{{Y: e.Ground.Across / 2}, {Y: -e.Ground.Across / 2}}
	if guess.Heading != 0 {
		ends = [2]r2.Vec{{X: -e.Ground.Across / 2}, {X: e.Ground.Across / 2}}
	}
	from, _ := found.At(ends[0])
	to, _ := found.At(ends[1])
	out.Scale = breakdown.ScaleLine{A: breakdown.Spot{X: scale * from.X, Y: scale * from.Y}, B: breakdown.Spot{X: scale * to.X, Y: scale * to.Y}, Metres: e.Ground.Across, What: "circle across", Frame: &b.Clip.First}
	return out, nil
}

// circleGuess is where the circle may be on a kept picture: about the feet, on which the athlete stands
// so tall, seen from the clip's view.
func (d Service) circleGuess(ctx context.Context, e core.Event, b store.Bench) (circle.Guess, error) {
	guess := circle.Guess{Across: e.Ground.Across}
	switch b.Clip.View {
	case "back":
	case "side-open", "side-closed":
		guess.Heading = -90
		if b.Clip.Rightward {
			guess.Heading = 90
		}
	default:
		return guess, store.Invalid("say first from where the film was taken")
	}
	kept, err := d.Store.Looks(ctx, b.Clip.ID)
	if err != nil {
		return guess, err
	}
	var looks []pose.Look
	for _, k := range kept {
		look, found := k.Look()
		if !found || len(looks) > 0 && look.Frame-b.Clip.First > b.Clip.Frames/2 {
			continue
		}
		looks = append(looks, look)
		for _, foot := range []int{29, 30, 31, 32} { // heels and tips of the feet
			guess.Feet = append(guess.Feet, look.Points[foot].At())
		}
	}
	if len(looks) == 0 {
		return guess, store.Invalid("the circle is looked for about the athlete's feet: wait until the film is read, or mark the points by hand")
	}
	const usualHeight = 1.75 // m
	guess.PxPerM = pose.HeightPx(looks) / cmp.Or(b.Athlete.HeightM, usualHeight)
	return guess, nil
}
