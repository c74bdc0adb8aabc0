package ask

import (
	"bytes"
	"context"
	"image"
	"math"

	"willowherb/core/air"
	"willowherb/core/exposure"
	"willowherb/core/spread"
	"willowherb/core/still"
	"willowherb/core/vec"
	"willowherb/format/picture"
	"willowherb/plan"
	"willowherb/refine"
)

// BallsAnswer is a chrome and a grey ball set before a point of the picture, and what arrives
// there.
type BallsAnswer struct {
	Hit     bool       `json:"hit"` // false: the point is open sky, where nothing can be set
	Object  string     `json:"object"`
	At      [3]float64 `json:"at"`
	Picture []byte     `json:"picture"` // PNG, the two beside each other
	Lux     float64    `json:"lux"`     // on what faces the light
	Behind  float64    `json:"behind"`  // on what faces away
	Kelvin  float64    `json:"kelvin"`
	Height  float64    `json:"height"`  // of the light, degrees
	Azimuth float64    `json:"azimuth"` // clockwise from -Z
}

// Size of the balls' pictures, their samples, and how far they are set before a surface.
const (
	ballSize    = 96
	ballSamples = 12
	ballBefore  = 0.12
)

// Balls answers it, for a point of a view as it is weighed.
func (d *Desk) Balls(ctx context.Context, p *refine.Pictures, q Point) (*BallsAnswer, error) {
	s, see, err := d.looking(ctx, p, &q.Gaze)
	if err != nil {
		return nil, err
	}
	cam := see.Camera.Camera()
	wide, rows := d.studio.Size(see.Camera.Aspect, plan.Full)
	aim := cam.Ray(float32(q.X*float64(wide)), float32(q.Y*float64(rows)), wide, rows)
	pass := see.Pass(s.Stage)
	pass.Neutral = 0
	hit, ok := s.Stage.World.Probe(cam.Eye, aim, pass)
	if !ok {
		return &BallsAnswer{}, nil
	}
	out := &BallsAnswer{Hit: true, Object: s.Stage.World.S.Objects[hit.Object].Name}
	// As far before the surface as there is room, and never beyond the eye.
	at := hit.Pos.Add(hit.N.Scale(min(ballBefore, hit.Dist/2)))
	if before := cam.Eye.Sub(hit.Pos); before.Dot(hit.N) < 0 {
		at = hit.Pos.Sub(hit.N.Scale(ballBefore))
	}
	out.At = at.Array()
	var b *still.Balls
	err = spread.Guard(func() (err error) {
		b, err = still.MakeBalls(ctx, s.Stage.World, s.Lamps, at, cam.Eye, ballSize, ballSamples, d.studio.Workers())
		return err
	})
	if err != nil {
		return nil, err
	}
	im := b.Picture(func(rgb []float32, w, h int) *image.NRGBA {
		return d.studio.Shop().Graded(ctx, s.Doc.GradeOf(q.Gaze.View)).Develop(rgb, w, h, see.Camera.EV, exposure.Curve(s.Doc.Curve))
	})
	var png bytes.Buffer
	if err := picture.WritePNG(&png, im); err != nil {
		return nil, err
	}
	out.Picture, out.Lux, out.Behind, out.Kelvin = png.Bytes(), b.Lux, b.Behind, b.Kelvin
	if b.From != (vec.V3{}) {
		out.Height, out.Azimuth = air.Bearing(b.From.Array())
		out.Azimuth = math.Mod(out.Azimuth+360, 360)
	}
	return out, nil
}
