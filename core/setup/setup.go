// Package setup is the lighting document: lights, groups, views, looks and the
// target device, as one versioned JSON value that people can read and diff, and what
// makes it valid. Packages beside it work on it: edits changes it and takes changes
// back, lamps makes of its lights what renders, staging makes of it and its place what
// is lit, exchange carries it from and to scenes.
//
// Maps are keyed by stable ids and nothing is an array that is edited in place;
// order is a fractional key. Units: metres, degrees, lumens, lux, cd/m2, kelvin,
// stops.
package setup

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"math"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"time"

	"willowherb/core/air"
	"willowherb/core/colour"
	"willowherb/core/exact"
	"willowherb/core/exposure"
	"willowherb/core/grade"
	"willowherb/core/light"
	"willowherb/core/target"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// SlideSize is how wide and high slides are.
const SlideSize = 256

// Blobs lists the files that a document's lights refer to.
func (s *Setup) Blobs() (profiles, slides, environments []string) {
	p, g, e := map[string]bool{}, map[string]bool{}, map[string]bool{}
	for _, l := range s.Lights {
		if l.Profile != nil {
			p[l.Profile.Blob] = true
		}
		if l.Gobo != nil && l.Gobo.Blob != "" {
			g[l.Gobo.Blob] = true
		}
		if l.Environment != nil {
			e[l.Environment.Blob] = true
		}
	}
	return slices.Sorted(maps.Keys(p)), slices.Sorted(maps.Keys(g)), slices.Sorted(maps.Keys(e))
}

// Tables lists the tables of colour that a document's grades name, its looks' too.
func (s *Setup) Tables() []string {
	out := map[string]bool{}
	take := func(g *grade.Grade) {
		if g != nil && g.Table != nil {
			out[g.Table.Blob] = true
		}
	}
	take(s.Grade)
	for _, z := range s.Zones {
		take(z.Grade)
	}
	for _, l := range s.Looks {
		for p, o := range l.Overrides {
			var t *grade.Table
			switch p {
			case "/grade":
				var g *grade.Grade
				if json.Unmarshal(o.Set, &g) == nil && g != nil {
					t = g.Table
				}
			case "/grade/table":
				_ = json.Unmarshal(o.Set, &t)
			}
			if t != nil && len(t.Blob) == 64 {
				out[t.Blob] = true
			}
		}
	}
	return slices.Sorted(maps.Keys(out))
}

// Pictures lists the files of a document's references and cards.
func (s *Setup) Pictures() []string {
	out := map[string]bool{}
	for _, b := range s.Backdrops {
		if b.Card != nil {
			out[b.Card.Blob] = true
		}
	}
	for _, r := range s.References {
		if r.Blob != "" {
			out[r.Blob] = true
		}
	}
	return slices.Sorted(maps.Keys(out))
}

// ErrInvalid means that an edit, or a document, is not what a setup can hold; the
// text names the place. The same again is refused again.
var ErrInvalid = exact.ErrInvalid

// MaxPath bounds a JSON pointer, in bytes.
const MaxPath = 2048

// Camera returns the view's camera.
func (v *View) Camera() world.Camera {
	aim := vec.Of(v.Aim).Norm()
	_, up := vec.Upright(aim, v.Roll)
	return world.Camera{Eye: vec.Of(v.Eye), Aim: aim, Up: up, FovY: v.FovY * math.Pi / 180}
}

// SortedViews returns the ids of the views in their order.
func (s *Setup) SortedViews() []string {
	ids := slices.Sorted(maps.Keys(s.Views))
	slices.SortStableFunc(ids, func(a, b string) int { return cmp.Compare(s.Views[a].Order, s.Views[b].Order) })
	return ids
}

// SortedLooks returns the ids of the looks in their order.
func (s *Setup) SortedLooks() []string {
	ids := slices.Sorted(maps.Keys(s.Looks))
	slices.SortStableFunc(ids, func(a, b string) int { return cmp.Compare(s.Looks[a].Order, s.Looks[b].Order) })
	return ids
}

// Version is the document version that this code writes.
const Version = 1

// Setup is the lighting document of one place.
type Setup struct {
	Version int              `json:"version"`
	Name    string           `json:"name"`
	Target  string           `json:"target"`
	Curve   string           `json:"curve"`
	Opens   string           `json:"opens,omitempty"` // id of the view to show first
	Groups  map[string]Group `json:"groups"`
	Lights  map[string]Light `json:"lights"`
	Views   map[string]View  `json:"views"`
	Looks   map[string]Look  `json:"looks"`
	// Base is what the setup is called without a look; Look is the id of the look that is
	// shown, empty for none.
	Base string `json:"base,omitempty"`
	Look string `json:"look,omitempty"`
	// What the setup says of the place. The file stays as it is.
	Place     *Place              `json:"place,omitempty"`
	Objects   map[string]Object   `json:"objects"`
	Materials map[string]Material `json:"materials"`
	Backdrops map[string]Backdrop `json:"backdrops"`
	Time      float64             `json:"time,omitempty"` // of the place's animations, seconds
	// Channels are the names of the light channels 1 to 8, where they have one.
	Channels map[string]Channel `json:"channels"`
	// Day is what the sun and the sky were last set by.
	Day *Day `json:"day,omitempty"`
	// Auto is automatic exposure, to be simulated; left out: exposure.StandardAuto. Zones are
	// exposures of parts of the level.
	Auto  *exposure.Auto  `json:"auto,omitempty"`
	Zones map[string]Zone `json:"zones"`
	// References are pictures and notes on the boards of views.
	References map[string]Reference `json:"references"`
	// Fog is what hangs in the air; left out, nothing.
	Fog *Fog `json:"fog,omitempty"`
	// Aerial shows the sky's own air between the eye and what it sees, where a sky is made of
	// air.
	Aerial bool `json:"aerial,omitempty"`
	// Grade is what is done to the picture's colours; left out, nothing.
	Grade *grade.Grade `json:"grade,omitempty"`
	// Bake is how the level is baked; left out: StandardBake.
	Bake *Bake `json:"bake,omitempty"`
	// Targets are devices of the setup's own, by id: calibrated, or written by hand.
	Targets map[string]target.Target `json:"targets"`
	// Routes are ways through the level that are played.
	Routes map[string]Route `json:"routes"`
}

// Device is the target of the setup: of its own, of those that ship, or the first of these.
func (s *Setup) Device() *target.Target {
	if t, ok := s.Targets[s.Target]; ok {
		return &t
	}
	if t, ok := target.Find(s.Target); ok {
		return &t
	}
	return &target.All()[0]
}

// Day is where and when the sun and the sky are those of: by the clock, or by the sun's
// height and azimuth. Sun and Dome are the ids of the lights that follow it.
type Day struct {
	ByClock   bool    `json:"byClock"`
	Latitude  float64 `json:"latitude"`  // degrees, north positive
	Longitude float64 `json:"longitude"` // degrees, east positive
	Date      string  `json:"date"`      // as 2026-10-14
	Hour      float64 `json:"hour"`      // of the local clock, 0 to 24
	Zone      float64 `json:"zone"`      // hours that the clock is ahead of UTC
	North     float64 `json:"north"`     // degrees clockwise from -Z to the north of the place
	Sun       string  `json:"sun"`
	Dome      string  `json:"dome"`
	// Moonlit lets the moon shine, as the light Moon; by the clock it stands where it stood.
	Moonlit bool   `json:"moonlit,omitempty"`
	Moon    string `json:"moon,omitempty"`
	// Sky is what comes of it; by hand, its sun's height and azimuth are what was set.
	Sky air.Sky `json:"sky"`
}

// At is the moment of the day's clock. Error: the date is none.
func (d *Day) At() (time.Time, error) {
	t, err := time.Parse(time.DateOnly, d.Date)
	if err != nil {
		return t, fmt.Errorf("%q is no date: write it as 2026-10-14", d.Date)
	}
	return t.Add(time.Duration((d.Hour - d.Zone) * float64(time.Hour))), nil
}

func (d *Day) validate(c *checker, at string) {
	c.num(at+"/latitude", d.Latitude, -90, 90)
	c.num(at+"/longitude", d.Longitude, -180, 180)
	c.num(at+"/hour", d.Hour, 0, 24)
	c.num(at+"/zone", d.Zone, -14, 14)
	c.num(at+"/north", d.North, -360, 360)
	_, err := d.At()
	c.ok(err == nil, at+"/date", "%v", err)
	c.text(at+"/sun", d.Sun, maxText)
	c.text(at+"/dome", d.Dome, maxText)
	c.text(at+"/moon", d.Moon, maxText)
	err = d.Sky.Check()
	c.ok(err == nil, at+"/sky", "%v", err)
}

// Channel is one of the eight: a light lights what shares a channel with it.
type Channel struct {
	Name string `json:"name"`
}

// Place is the file that the setup lights.
type Place struct {
	Blob string `json:"blob"` // content hash
	File string `json:"file"`
}

// Part says what an object does at run time.
type Part string

// Parts of objects.
const (
	Static  Part = "static"
	Mover   Part = "mover"   // it moves: lit by probes, never in the lightmap
	Blocker Part = "blocker" // an unseen solid that only casts shadow
)

// Object is what the setup says of all that lies at or under a path of the file's
// hierarchy.
type Object struct {
	Path   string     `json:"path"`
	Name   string     `json:"name,omitempty"`   // in this setup
	Part   Part       `json:"part,omitempty"`   // empty: static
	Hidden bool       `json:"hidden,omitempty"` // not there at all: neither seen nor casting shadow
	Locked bool       `json:"locked,omitempty"`
	Offset [3]float64 `json:"offset"` // metres
	Pivot  [3]float64 `json:"pivot"`
	Turn   float64    `json:"turn"` // degrees about the upright axis through the pivot
	// Channels that may light it, bit 0 for channel 1; left out: all.
	Channels *uint8 `json:"channels,omitempty"`
	// Density is its texels a metre in the lightmap; left out, the level's. ByProbes has probes
	// light it instead, and InMap has it in the lightmap although its pieces are small.
	Density  *float64 `json:"density,omitempty"`
	ByProbes bool     `json:"byProbes,omitempty"`
	InMap    bool     `json:"inMap,omitempty"`
}

// Material is what the setup changes of a material of the file, by its name. What
// is left out is as in the file.
type Material struct {
	Name      string      `json:"name"`
	Colour    *[3]float64 `json:"colour,omitempty"` // linear Rec. 709; multiplies the textures
	Roughness *float64    `json:"roughness,omitempty"`
	Metal     *float64    `json:"metal,omitempty"`
	Emission  *[3]float64 `json:"emission,omitempty"` // cd/m2 at unit output of its light
}

// Backdrop is a sweep put behind a figure: a floor that curves up into a wall; or a card with
// a picture, upright, which shines as an emissive light of its name has it.
type Backdrop struct {
	Name      string     `json:"name"`
	Position  [3]float64 `json:"position"` // of the middle of its front edge, on the ground
	Facing    float64    `json:"facing"`   // degrees about the upright axis; 0 opens to +Z
	Width     float64    `json:"width"`
	Depth     float64    `json:"depth"`
	Height    float64    `json:"height"`
	Curve     float64    `json:"curve"` // radius of the bend, metres
	Colour    [3]float64 `json:"colour"`
	Roughness float64    `json:"roughness"`
	// Card makes it a flat one with a picture, as wide and high as it is.
	Card *Card `json:"card,omitempty"`
}

// Card names the kept picture of a backdrop, a PNG or JPEG; its white is 1 cd/m2 at an output
// of 1, and what is see-through is not there.
type Card struct {
	Blob string `json:"blob"`
	File string `json:"file"`
}

// Group gathers lights; its trim in stops is added to every light in it.
type Group struct {
	Name  string  `json:"name"`
	Order float64 `json:"order"`
	Trim  float64 `json:"trim"`
	Off   bool    `json:"off"`
	// Parent is the group it lies in, or empty.
	Parent string `json:"parent,omitempty"`
	Locked bool   `json:"locked,omitempty"`
	// Hue and Mired shift the colours of all in it: degrees round the colour circle,
	// and 1e6/K added (positive is warmer).
	Hue   float64 `json:"hue,omitempty"`
	Mired float64 `json:"mired,omitempty"`
	// Rig makes the group a rig: lights round a pivot that travel with a node.
	Rig *Rig `json:"rig,omitempty"`
}

// Rig is what a group of lights stands round. Its lights are kept as they stand
// while the node rests.
type Rig struct {
	Object string     `json:"object"` // path of the node it travels with; empty: it stands by itself
	Pivot  [3]float64 `json:"pivot"`  // while the node rests
	Height float64    `json:"height"` // of the figure, metres
	Facing float64    `json:"facing"` // heading of its front, degrees about +Y from +Z towards +X
}

// Kind is a kind of light.
type Kind string

// Kinds of light in a document.
const (
	Sun      Kind = "sun"
	Point    Kind = "point"
	Spot     Kind = "spot"
	Rect     Kind = "rect"
	Disc     Kind = "disc"
	Sky      Kind = "sky"
	Emissive Kind = "emissive"
	Line     Kind = "line"
)

// Carry says how a light is carried at run time.
type Carry string

// Ways to carry a light.
const (
	Baked Carry = "baked" // all of it in the lightmap
	Split Carry = "split" // direct live, bounce baked
	Live  Carry = "live"  // all of it live
)

// Colour is a temperature in kelvin, or a linear Rec. 709 colour (its luminance
// does not matter: output says how strong the light is).
type Colour struct {
	Kelvin float64     `json:"kelvin,omitempty"`
	Tint   float64     `json:"tint,omitempty"` // thousandths of Duv off the black-body curve: positive is green
	RGB    *[3]float64 `json:"rgb,omitempty"`
	Gel    string      `json:"gel,omitempty"` // id of a sheet before the lamp, which also takes light away
}

// Linear returns the lamp's colour with luminance 1, without its gel.
func (c Colour) Linear() colour.RGB {
	if c.RGB != nil {
		return colour.Unit(*c.RGB)
	}
	return colour.Tinted(c.Kelvin, c.Tint/1000)
}

// Profile is the measured distribution of a luminaire that a point or spot light
// takes on.
type Profile struct {
	Blob   string  `json:"blob"`
	File   string  `json:"file"`
	Turn   float64 `json:"turn"` // degrees about the aim
	Flux   float64 `json:"flux"` // lumens, as measured
	Lamp   float64 `json:"lamp"` // lumens of its bare lamps; 0: not known
	Watts  float64 `json:"watts"`
	Scaled bool    `json:"scaled"` // the light's own output counts; else the measured flux
}

// Gobo is a slide in a spot's beam: a pattern made by code, or a picture.
type Gobo struct {
	Pattern string  `json:"pattern,omitempty"`
	Blob    string  `json:"blob,omitempty"`
	File    string  `json:"file,omitempty"`
	Scale   float64 `json:"scale"` // 1: as wide as the outer cone
	Blur    float64 `json:"blur"`  // out of focus: 0 sharp to 1
	Turn    float64 `json:"turn"`  // degrees
	Speed   float64 `json:"speed"` // degrees a second
}

// Doors are the four leaves before a lamp: degrees from straight out (positive
// opens), and their length in metres.
type Doors struct {
	Top    float64 `json:"top"`
	Bottom float64 `json:"bottom"`
	Left   float64 `json:"left"`
	Right  float64 `json:"right"`
	Length float64 `json:"length"`
}

// Gradient is a sky's colours, linear, multiplied by its output.
type Gradient struct {
	Zenith  [3]float64 `json:"zenith"`
	Horizon [3]float64 `json:"horizon"`
	Ground  [3]float64 `json:"ground"`
	Falloff float64    `json:"falloff"`
	// Clouds is how much of it streaks of cloud cover, 0 to 1.
	Clouds float64 `json:"clouds,omitempty"`
}

// Environment is a latitude-longitude picture that a sky shows; a pixel of 1 is 1 cd/m2 at
// an output of 1.
type Environment struct {
	Blob string  `json:"blob"`
	File string  `json:"file"`
	Turn float64 `json:"turn"` // degrees clockwise, seen from above
	// Layer of an EXR file; empty: the unnamed one, or the first with colours.
	Layer string `json:"layer,omitempty"`
	// Seen is what is done to it where it is seen behind everything; left out, nothing.
	Seen *Seen `json:"seen,omitempty"`
	// NoSun takes the picture's sun out: a sun light stands for it.
	NoSun bool `json:"noSun,omitempty"`
}

// Seen is how a picture is seen behind everything, otherwise than it lights.
type Seen struct {
	Saturation float64 `json:"saturation"` // 1 leaves it, 0 is grey
	Contrast   float64 `json:"contrast"`   // stops for each stop from its mean luminance; 1 leaves it
	Blur       float64 `json:"blur"`       // deviation, degrees
}

// Dome names the dome that the picture makes, among a setup's assets.
func (e *Environment) Dome() string {
	name := e.Blob
	if e.Layer != "" {
		name += " layer " + e.Layer
	}
	if e.NoSun {
		name += " without its sun"
	}
	return name
}

// SeenDome names the dome that is seen behind everything where it is another; empty where it
// is not.
func (e *Environment) SeenDome() string {
	if e.Seen == nil || *e.Seen == (Seen{Saturation: 1, Contrast: 1}) {
		return ""
	}
	return fmt.Sprintf("%s seen %g %g %g", e.Dome(), e.Seen.Saturation, e.Seen.Contrast, e.Seen.Blur)
}

// Light is one light. Output is the lamp's nominal output in Unit (empty: the
// kind's own, lumen; lux for a sun; cd/m2 for sky and emissive), Stops the
// artist's adjustment of it.
type Light struct {
	Name      string     `json:"name"`
	Group     string     `json:"group"`
	Order     float64    `json:"order"`
	Kind      Kind       `json:"kind"`
	Role      string     `json:"role,omitempty"`
	Output    float64    `json:"output"`
	Stops     float64    `json:"stops"`
	Colour    Colour     `json:"colour"`
	Off       bool       `json:"off"`
	Position  [3]float64 `json:"position"`
	Aim       [3]float64 `json:"aim"`
	Roll      float64    `json:"roll"`
	Radius    float64    `json:"radius"`
	Width     float64    `json:"width"`
	Height    float64    `json:"height"`
	Angle     float64    `json:"angle"` // the sun's angular diameter, degrees
	Inner     float64    `json:"inner"` // half-angles of the cone, degrees
	Outer     float64    `json:"outer"`
	Range     float64    `json:"range"` // 0: none
	Shadow    bool       `json:"shadow"`
	ShadowMap int        `json:"shadowMap"` // side in texels
	Carry     Carry      `json:"carry"`
	Channels  uint8      `json:"channels"`
	Material  string     `json:"material,omitempty"` // of an emissive light
	Gradient  *Gradient  `json:"gradient,omitempty"` // of a sky
	// Air makes a sky what sun and air make it; Environment what a picture shows. A sky has
	// one of them at most; then it has no gradient.
	Air         *air.Sky     `json:"air,omitempty"`
	Environment *Environment `json:"environment,omitempty"`
	Locked      bool         `json:"locked,omitempty"` // handles and fields leave it alone
	Unit        Unit         `json:"unit,omitempty"`
	UnitAt      float64      `json:"unitAt,omitempty"` // metres of a lux, lumens for each watt
	Length      float64      `json:"length,omitempty"` // metres: of a line, or of a lamp drawn out
	TwoSided    bool         `json:"twoSided,omitempty"`
	Grid        float64      `json:"grid,omitempty"` // half-angle in degrees of a honeycomb before a rect or disc; 0: none
	Profile     *Profile     `json:"profile,omitempty"`
	Gobo        *Gobo        `json:"gobo,omitempty"`
	Doors       *Doors       `json:"doors,omitempty"`
	// NoDiffuse and NoSpecular are the shares that matt and glossy reflection do not
	// show of it: 0 shows all, 1 nothing.
	NoDiffuse  float64 `json:"noDiffuse,omitempty"`
	NoSpecular float64 `json:"noSpecular,omitempty"`
	// Behind and Mirrored are by how many stops more than it lights a sky is seen behind
	// everything, and in mirrors.
	Behind   float64 `json:"behind,omitempty"`
	Mirrored float64 `json:"mirrored,omitempty"`
	// NoAir keeps its light out of fog.
	NoAir bool `json:"noAir,omitempty"`
	// Opening tells that rooms see the sky through a rect, on or off: skies are looked for there, as
	// through the openings that are found by themselves. It changes no light, only how soon it
	// settles.
	Opening bool `json:"opening,omitempty"`
	// Drawn is how the target draws its shadow; left out: StandardDrawn.
	Drawn *Drawn `json:"drawn,omitempty"`
	// Link names a set of lights that share everything but their names and places.
	Link string `json:"link,omitempty"`
}

// Shared returns what linked lights have in common: everything but name, place,
// group, whether it is off, and lock.
func (l Light) Shared() Light {
	l.Name, l.Group, l.Order, l.Off, l.Locked = "", "", 0, false, false
	l.Position, l.Aim, l.Roll = [3]float64{}, [3]float64{}, 0
	return l
}

// View is a camera with its held exposure.
type View struct {
	Name   string     `json:"name"`
	Order  float64    `json:"order"`
	Eye    [3]float64 `json:"eye"`
	Aim    [3]float64 `json:"aim"`
	Roll   float64    `json:"roll"`
	FovY   float64    `json:"fovY"` // vertical, degrees
	Aspect float64    `json:"aspect"`
	EV     float64    `json:"ev"` // EV100
	// Aperture, as an f-number, and Shutter, in seconds, tell the exposure as a camera's;
	// left out: f/2.8 and a sixtieth.
	Aperture float64 `json:"aperture,omitempty"`
	Shutter  float64 `json:"shutter,omitempty"`
	// Focus is the distance that is sharp, in metres along the axis; 0: all is. FocusOn is the
	// path of an object that is sharp in its place, wherever it stands.
	Focus   float64 `json:"focus,omitempty"`
	FocusOn string  `json:"focusOn,omitempty"`
	// Zoned takes the exposure and the grade of the zones that the eye stands in.
	Zoned bool `json:"zoned,omitempty"`
	// grade is that of the zones, where graded.
	grade  *grade.Grade
	graded bool
}

// Look is a named set of overrides on the setup, by JSON pointer into it.
type Look struct {
	Name      string              `json:"name"`
	Order     float64             `json:"order"`
	Overrides map[string]Override `json:"overrides"`
}

// Override changes one value: sets it, or moves it relative to the setup's.
type Override struct {
	Set   json.RawMessage `json:"set,omitempty"`
	Stops *float64        `json:"stops,omitempty"` // added
	Times *float64        `json:"times,omitempty"` // multiplied
	Mired *float64        `json:"mired,omitempty"` // 1e6/K, added
}

// MaxBytes bounds a document as it is written.
const MaxBytes = 4 << 20

// Parse reads and validates a document.
func Parse(data []byte) (*Setup, error) {
	s, err := Decode(data)
	if err != nil {
		return nil, err
	}
	if err := s.Validate(); err != nil {
		return nil, err
	}
	return s, nil
}

// Decode reads a document without asking whether its values make sense: enough to
// take back what made them so.
func Decode(data []byte) (*Setup, error) {
	if len(data) > MaxBytes {
		return nil, fmt.Errorf("%w: the document takes %d bytes; a setup may take %d", ErrInvalid, len(data), MaxBytes)
	}
	var s Setup
	if err := exact.Decode(data, &s, ""); err != nil {
		return nil, err
	}
	s.fill()
	s.Renew()
	return &s, nil
}

// fill gives a document every list, so that an edit of one never has to make it first.
func (s *Setup) fill() {
	full(&s.Groups)
	full(&s.Lights)
	full(&s.Views)
	full(&s.Looks)
	full(&s.Objects)
	full(&s.Materials)
	full(&s.Backdrops)
	full(&s.Channels)
	full(&s.Zones)
	full(&s.Targets)
	full(&s.Routes)
	full(&s.References)
	if s.Bake != nil {
		b := *s.Bake
		full(&b.Bounds)
		full(&b.Fill)
		full(&b.Probes)
		full(&b.Mirrors)
		s.Bake = &b
	}
}

func full[V any](m *map[string]V) {
	if *m == nil {
		*m = map[string]V{}
	}
}

// JSON writes the document.
func (s *Setup) JSON() []byte {
	whole := *s
	whole.fill()
	b, err := json.Marshal(&whole)
	if err != nil {
		panic(err) // plain data always marshals: validation refuses NaN
	}
	return b
}

var idShape = regexp.MustCompile(`^[a-z0-9][a-z0-9-]{0,63}$`)

// ValidID reports whether an id may stand in a document.
func ValidID(id string) bool { return idShape.MatchString(id) }

// Limits of a document.
const (
	MaxLights    = 500
	MaxViews     = 200
	MaxGroups    = 500
	MaxLooks     = 100
	maxOverrides = 2000 // of a look
	maxParts     = 5000 // objects, materials or backdrops that a setup says something of
	MaxName      = 80
	maxText      = 256 // names that come from elsewhere: materials, roles, targets
)

// maxTold is how many faults a refusal lists.
const maxTold = 12

type checker struct {
	errs []error
	more int
}

func (c *checker) ok(good bool, at, format string, a ...any) {
	switch {
	case good:
	case len(c.errs) >= maxTold:
		c.more++
	default:
		c.errs = append(c.errs, fmt.Errorf("%s: %s", at, fmt.Sprintf(format, a...)))
	}
}

func (c *checker) err() error {
	if c.more > 0 {
		c.errs = append(c.errs, fmt.Errorf("and %d more", c.more))
	}
	if len(c.errs) == 0 {
		return nil
	}
	return fmt.Errorf("%w: %w", ErrInvalid, errors.Join(c.errs...))
}

func (c *checker) num(at string, v, lo, hi float64) {
	c.ok(v >= lo && v <= hi, at, "%g is not between %g and %g", v, lo, hi)
}

func (c *checker) name(at, v string) {
	c.ok(strings.TrimSpace(v) != "" && len(v) <= MaxName, at, "give it a name of up to %d letters", MaxName)
}

func (c *checker) text(at, v string, most int) {
	c.ok(len(v) <= most, at, "is over %d letters", most)
}

func (c *checker) id(at, id string) {
	c.ok(idShape.MatchString(id), at, "is no id: use a-z, 0-9 and -")
}

func (c *checker) count(at string, n, most int) {
	c.ok(n <= most, at, "%d are over the limit of %d", n, most)
}

// Validate reports what is wrong, each with its place. Error: ErrInvalid.
func (s *Setup) Validate() error {
	return s.ValidateChanged(func(string) ([]string, bool) { return nil, true }, nil)
}

// ValidateChanged checks the entries of each list that changed names (all of them where it
// says so), and what depends on them. before is the valid document that they were
// changed from, if any.
func (s *Setup) ValidateChanged(changed func(list string) (ids []string, all bool), before *Setup) error {
	var c checker
	c.ok(s.Version == Version, "/version", "is %d; this program knows %d", s.Version, Version)
	c.name("/name", s.Name)
	c.text("/target", s.Target, maxText)
	c.text("/opens", s.Opens, maxText)
	c.text("/base", s.Base, MaxName)
	c.text("/look", s.Look, maxText)
	c.ok(exposure.Curve(s.Curve).Known(), "/curve", "%.40q is not plain, shoulder or film with how steep and how many stops to white, as film 1.30 6", s.Curve)
	c.num("/time", s.Time, 0, 1e6)
	if s.Day != nil {
		s.Day.validate(&c, "/day")
	}
	if s.Auto != nil {
		err := s.Auto.Check()
		c.ok(err == nil, "/auto", "%v", err)
	}
	c.count("/references", len(s.References), MaxReferences)
	each(s.References, changedIn(s.References, "references", changed), func(id string, r *Reference) { r.validate(&c, "/references/"+id, id) })
	c.count("/zones", len(s.Zones), MaxZones)
	each(s.Zones, changedIn(s.Zones, "zones", changed), func(id string, z *Zone) { z.validate(&c, "/zones/"+id, id) })
	if s.Fog != nil {
		s.Fog.validate(&c, "/fog")
	}
	if s.Bake != nil {
		s.Bake.validate(&c, "/bake")
	}
	if s.Grade != nil {
		err := s.Grade.Check()
		c.ok(err == nil, "/grade", "%v", err)
	}
	c.count("/routes", len(s.Routes), MaxRoutes)
	each(s.Routes, changedIn(s.Routes, "routes", changed), func(id string, r *Route) { r.validate(&c, "/routes/"+id, id) })
	c.count("/targets", len(s.Targets), MaxTargets)
	each(s.Targets, changedIn(s.Targets, "targets", changed), func(id string, t *target.Target) {
		c.id("/targets/"+id, id)
		err := t.Check()
		c.ok(err == nil, "/targets/"+id, "%v", err)
	})
	if s.Place != nil {
		c.ok(len(s.Place.Blob) == 64 && len(s.Place.File) > 0 && len(s.Place.File) <= 600, "/place", "names no file that is kept")
	}
	c.count("/lights", len(s.Lights), MaxLights)
	c.count("/views", len(s.Views), MaxViews)
	c.count("/groups", len(s.Groups), MaxGroups)
	c.count("/looks", len(s.Looks), MaxLooks)
	c.count("/objects", len(s.Objects), maxParts)
	c.count("/materials", len(s.Materials), maxParts)
	c.count("/backdrops", len(s.Backdrops), maxParts)
	groups, lights := changedIn(s.Groups, "groups", changed), changedIn(s.Lights, "lights", changed)
	each(s.Groups, groups, func(id string, g *Group) { g.validate(&c, "/groups/"+id, id) })
	if len(groups) > 0 {
		s.validateNesting(&c)
	}
	each(s.Lights, lights, func(id string, l *Light) {
		c.id("/lights/"+id, id)
		l.validate(&c, "/lights/"+id)
	})
	if len(lights) > 0 || len(groups) > 0 {
		s.validateMembers(&c, lights, before == nil || fewer(before.Groups, s.Groups))
	}
	each(s.Views, changedIn(s.Views, "views", changed), func(id string, v *View) {
		at := "/views/" + id
		c.id(at, id)
		c.name(at+"/name", v.Name)
		c.num(at+"/order", v.Order, -1e9, 1e9)
		v.check(&c, at)
	})
	each(s.Looks, changedIn(s.Looks, "looks", changed), func(id string, l *Look) {
		at := "/looks/" + id
		c.id(at, id)
		c.name(at+"/name", l.Name)
		c.count(at+"/overrides", len(l.Overrides), maxOverrides)
		for p := range l.Overrides {
			c.ok(strings.HasPrefix(p, "/") && len(p) <= MaxPath && !strings.HasPrefix(p, "/looks"), at+"/overrides", "%.80q is no place in the setup", p)
		}
	})
	each(s.Objects, changedIn(s.Objects, "objects", changed), func(id string, o *Object) { o.validate(&c, "/objects/"+id, id) })
	each(s.Materials, changedIn(s.Materials, "materials", changed), func(id string, m *Material) { m.validate(&c, "/materials/"+id, id) })
	each(s.Backdrops, changedIn(s.Backdrops, "backdrops", changed), func(id string, b *Backdrop) { b.validate(&c, "/backdrops/"+id, id) })
	each(s.Channels, changedIn(s.Channels, "channels", changed), func(id string, ch *Channel) {
		c.ok(len(id) == 1 && id >= "1" && id <= "8", "/channels/"+id, "channels are numbered 1 to 8")
		c.text("/channels/"+id+"/name", ch.Name, 40)
	})
	return c.err()
}

// changedIn lists the entries of a list to be checked.
func changedIn[V any](m map[string]V, list string, changed func(string) ([]string, bool)) []string {
	ids, all := changed(list)
	if all {
		return slices.Sorted(maps.Keys(m))
	}
	return ids
}

// each calls check for those of the ids that are there.
func each[V any](m map[string]V, ids []string, check func(id string, v *V)) {
	for _, id := range ids {
		if v, ok := m[id]; ok {
			check(id, &v)
		}
	}
}

// fewer reports whether something of before is gone.
func fewer[V any](before, after map[string]V) bool {
	for id := range before {
		if _, ok := after[id]; !ok {
			return true
		}
	}
	return false
}

func (g *Group) validate(c *checker, at, id string) {
	c.id(at, id)
	c.name(at+"/name", g.Name)
	c.num(at+"/trim", g.Trim, -20, 20)
	c.num(at+"/hue", g.Hue, -360, 360)
	c.num(at+"/mired", g.Mired, -1000, 1000)
	c.num(at+"/order", g.Order, -1e9, 1e9)
	if r := g.Rig; r != nil {
		c.ok(len(r.Object) <= 1024, at+"/rig/object", "is no path of an object")
		c.num(at+"/rig/height", r.Height, 0.01, 1000)
		c.num(at+"/rig/facing", r.Facing, -3600, 3600)
		for k := range 3 {
			c.num(at+"/rig/pivot", r.Pivot[k], -1e6, 1e6)
		}
	}
}

// validateNesting checks that every group lies in groups that are there, in no ring.
func (s *Setup) validateNesting(c *checker) {
	for id, g := range s.Groups {
		at := "/groups/" + id + "/parent"
		for up, n := g.Parent, 0; up != ""; up = s.Groups[up].Parent {
			_, ok := s.Groups[up]
			c.ok(ok, at, "group %.80q is not there", up)
			if n++; n > 16 || up == id {
				c.ok(false, at, "the groups lie in one another, or deeper than 16")
				break
			}
		}
	}
}

// validateMembers checks what lights have to do with one another and with groups:
// their groups (of all, where some group is gone), names, and links.
func (s *Setup) validateMembers(c *checker, changed []string, all bool) {
	names := make(map[string]string, len(s.Lights))
	links := map[string]bool{}
	for _, id := range changed {
		if l, ok := s.Lights[id]; ok && l.Link != "" {
			links[l.Link] = true
		}
	}
	ids := slices.Sorted(maps.Keys(s.Lights))
	touched := make(map[string]bool, len(changed))
	for _, id := range changed {
		touched[id] = true
	}
	linked := map[string]string{}
	for _, id := range ids {
		l := s.Lights[id]
		at := "/lights/" + id
		if l.Group != "" && (all || touched[id]) {
			_, ok := s.Groups[l.Group]
			c.ok(ok, at+"/group", "group %.80q is not there", l.Group)
		}
		key := l.Group + "\x00" + strings.ToLower(strings.TrimSpace(l.Name))
		c.ok(names[key] == "", at+"/name", "%q is already the name of another light in its group", l.Name)
		names[key] = id
		if !links[l.Link] {
			continue
		}
		c.id(at+"/link", l.Link)
		if first, ok := linked[l.Link]; !ok {
			linked[l.Link] = id
		} else {
			c.ok(reflect.DeepEqual(l.Shared(), s.Lights[first].Shared()), at, "is linked to %q and must have the same values; unlink it first", s.Lights[first].Name)
		}
	}
}

func (o *Object) validate(c *checker, at, id string) {
	c.id(at, id)
	c.ok(o.Path != "" && len(o.Path) <= 1024, at+"/path", "names no object")
	c.text(at+"/name", o.Name, MaxName)
	c.ok(o.Part == "" || o.Part == Static || o.Part == Mover || o.Part == Blocker, at+"/part", "%q is not static, mover or blocker", o.Part)
	c.num(at+"/turn", o.Turn, -3600, 3600)
	if o.Density != nil {
		c.num(at+"/density", *o.Density, 0.05, 256)
	}
	for k := range 3 {
		c.num(at+"/offset", o.Offset[k], -1e5, 1e5)
		c.num(at+"/pivot", o.Pivot[k], -1e6, 1e6)
	}
}

// unit checks a colour.
func (c *checker) unit(at string, v [3]float64, hi float64) {
	for _, x := range v {
		c.num(at, x, 0, hi)
	}
}

func (m *Material) validate(c *checker, at, id string) {
	c.id(at, id)
	c.text(at+"/name", m.Name, 1024)
	if m.Colour != nil {
		c.unit(at+"/colour", *m.Colour, 1)
	}
	if m.Roughness != nil {
		c.num(at+"/roughness", *m.Roughness, 0, 1)
	}
	if m.Metal != nil {
		c.num(at+"/metal", *m.Metal, 0, 1)
	}
	if m.Emission != nil {
		c.unit(at+"/emission", *m.Emission, 1e7)
	}
}

func (b *Backdrop) validate(c *checker, at, id string) {
	c.id(at, id)
	c.name(at+"/name", b.Name)
	c.num(at+"/width", b.Width, 0.1, 200)
	c.num(at+"/depth", b.Depth, 0.1, 200)
	c.num(at+"/height", b.Height, 0.1, 200)
	if b.Card == nil {
		c.num(at+"/curve", b.Curve, 0, min(b.Depth, b.Height))
	} else {
		c.ok(len(b.Card.Blob) == 64 && b.Card.File != "" && len(b.Card.File) <= 600, at+"/card", "names no file that is kept")
	}
	c.num(at+"/facing", b.Facing, -3600, 3600)
	c.num(at+"/roughness", b.Roughness, 0, 1)
	c.unit(at+"/colour", b.Colour, 1)
	for k := range 3 {
		c.num(at+"/position", b.Position[k], -1e6, 1e6)
	}
}

// Check reports what is wrong with a camera that has no name or place in a setup.
func (v *View) Check() error {
	var c checker
	v.check(&c, "")
	return c.err()
}

func (v *View) check(c *checker, at string) {
	c.num(at+"/fovY", v.FovY, 0.1, 170)
	c.num(at+"/aspect", v.Aspect, 0.1, 10)
	c.num(at+"/ev", v.EV, -20, 30)
	c.num(at+"/aperture", v.Aperture, 0, 128)
	c.num(at+"/shutter", v.Shutter, 0, 3600)
	c.num(at+"/focus", v.Focus, 0, 1e5)
	c.text(at+"/focusOn", v.FocusOn, 1024)
	c.num(at+"/roll", v.Roll, -360, 360)
	for k := range 3 {
		c.num(at+"/eye", v.Eye[k], -1e6, 1e6)
		c.num(at+"/aim", v.Aim[k], -1e6, 1e6)
	}
	c.ok(length(v.Aim) > 1e-9, at+"/aim", "is no direction")
}

func (l *Light) validate(c *checker, at string) {
	c.name(at+"/name", l.Name)
	c.text(at+"/role", l.Role, maxText)
	c.text(at+"/material", l.Material, 1024)
	c.text(at+"/group", l.Group, maxText)
	kinds := []Kind{Sun, Point, Spot, Rect, Disc, Sky, Emissive, Line}
	c.ok(slices.Contains(kinds, l.Kind), at+"/kind", "%q is unknown", l.Kind)
	c.ok(slices.Contains(l.Units(), l.OutputUnit()), at+"/unit", "a %s cannot be told in %q", l.Kind, l.Unit)
	c.num(at+"/output", l.Output, 0, 1e9)
	c.num(at+"/unitAt", l.UnitAt, 0, 1e5)
	l.validateShape(c, at)
	c.num(at+"/stops", l.Stops, -20, 20)
	c.num(at+"/order", l.Order, -1e9, 1e9)
	if l.Colour.RGB == nil {
		c.num(at+"/colour/kelvin", l.Colour.Kelvin, colour.MinKelvin, colour.MaxKelvin)
		c.num(at+"/colour/tint", l.Colour.Tint, -maxTint, maxTint)
	} else {
		for _, v := range l.Colour.RGB {
			c.num(at+"/colour/rgb", v, 0, 1e6)
		}
		c.ok(colour.Luminance(*l.Colour.RGB) > 0, at+"/colour/rgb", "is black: turn the light off instead")
	}
	if l.Colour.Gel != "" {
		_, ok := colour.GelOf(l.Colour.Gel)
		c.ok(ok, at+"/colour/gel", "%q is no gel", l.Colour.Gel)
	}
	for k := range 3 {
		c.num(at+"/position", l.Position[k], -1e6, 1e6)
		c.num(at+"/aim", l.Aim[k], -1e6, 1e6)
	}
	switch l.Kind {
	case Sun, Spot, Rect, Disc:
		c.ok(length(l.Aim) > 1e-9, at+"/aim", "is no direction")
	}
	c.num(at+"/radius", l.Radius, 0, 1000)
	switch l.Kind {
	case Rect:
		c.num(at+"/width", l.Width, 0.001, 1000)
		c.num(at+"/height", l.Height, 0.001, 1000)
	case Disc:
		c.num(at+"/radius", l.Radius, 0.001, 1000)
	case Spot:
		c.num(at+"/outer", l.Outer, 0.1, 90)
		c.num(at+"/inner", l.Inner, 0, l.Outer)
	case Sun:
		c.num(at+"/angle", l.Angle, 0, 90)
	case Emissive:
		c.ok(l.Material != "", at+"/material", "name the material that shines")
	}
	c.num(at+"/range", l.Range, 0, 1e6)
	c.num(at+"/roll", l.Roll, -360, 360)
	c.ok(l.ShadowMap >= 0 && l.ShadowMap <= 16384, at+"/shadowMap", "%d is not between 0 and 16384", l.ShadowMap)
	c.ok(l.Carry == Baked || l.Carry == Split || l.Carry == Live, at+"/carry", "%q is not baked, split or live", l.Carry)
}

// maxTint bounds a tint, in thousandths of Duv: farther off, no colour is white.
const maxTint = 30

// validateShape checks what shapes a light's beam.
func (l *Light) validateShape(c *checker, at string) {
	c.num(at+"/length", l.Length, 0, 1000)
	c.num(at+"/grid", l.Grid, 0, 89)
	c.num(at+"/noDiffuse", l.NoDiffuse, 0, 1)
	c.num(at+"/noSpecular", l.NoSpecular, 0, 1)
	c.num(at+"/behind", l.Behind, -20, 20)
	c.num(at+"/mirrored", l.Mirrored, -20, 20)
	c.ok(l.Kind == Rect || !l.Opening, at+"/opening", "only a rect is an opening that the sky comes in by")
	c.ok(l.Kind == Sky || l.Behind == 0 && l.Mirrored == 0, at+"/behind", "only a sky is seen otherwise than it lights")
	if l.Kind == Line {
		c.num(at+"/length", l.Length, 0.001, 1000)
	}
	if p := l.Profile; p != nil {
		c.ok(l.Kind == Point || l.Kind == Spot, at+"/profile", "only point and spot lights take a measured profile")
		c.ok(len(p.Blob) == 64 && p.File != "" && len(p.File) <= 600, at+"/profile", "names no file that is kept")
		c.num(at+"/profile/turn", p.Turn, -3600, 3600)
		c.num(at+"/profile/flux", p.Flux, 0, 1e9)
		c.num(at+"/profile/lamp", p.Lamp, 0, 1e9)
		c.num(at+"/profile/watts", p.Watts, 0, 1e9)
	}
	if g := l.Gobo; g != nil {
		c.ok(l.Kind == Spot, at+"/gobo", "only spot lights take a gobo")
		c.ok(len(g.Blob) == 64 && g.File != "" && len(g.File) <= 600 || g.Blob == "" && slices.Contains(light.Patterns, g.Pattern), at+"/gobo", "names no pattern and no picture that is kept")
		c.num(at+"/gobo/scale", g.Scale, 0.05, 20)
		c.num(at+"/gobo/blur", g.Blur, 0, 1)
		c.num(at+"/gobo/turn", g.Turn, -3600, 3600)
		c.num(at+"/gobo/speed", g.Speed, -3600, 3600)
	}
	if g := l.Gradient; g != nil {
		for _, v := range [][3]float64{g.Zenith, g.Horizon, g.Ground} {
			c.unit(at+"/gradient", v, 1e6)
		}
		c.num(at+"/gradient/falloff", g.Falloff, 0, 100)
		c.num(at+"/gradient/clouds", g.Clouds, 0, 1)
	}
	if l.Air != nil {
		c.ok(l.Kind == Sky && l.Environment == nil, at+"/air", "only a sky without a picture is made by sun and air")
		err := l.Air.Check()
		c.ok(err == nil, at+"/air", "%v", err)
	}
	if e := l.Environment; e != nil {
		c.ok(l.Kind == Sky, at+"/environment", "only a sky takes an environment picture")
		c.ok(len(e.Blob) == 64 && e.File != "" && len(e.File) <= 600, at+"/environment", "names no file that is kept")
		c.num(at+"/environment/turn", e.Turn, -3600, 3600)
		c.text(at+"/environment/layer", e.Layer, maxText)
		if v := e.Seen; v != nil {
			c.num(at+"/environment/seen/saturation", v.Saturation, 0, 4)
			c.num(at+"/environment/seen/contrast", v.Contrast, 0, 4)
			c.num(at+"/environment/seen/blur", v.Blur, 0, 60)
		}
	}
	if l.Drawn != nil {
		l.Drawn.validate(c, at+"/drawn")
	}
	if d := l.Doors; d != nil {
		c.ok(l.Kind == Spot || l.Kind == Rect, at+"/doors", "only spot and rect lights take barn doors")
		for _, a := range []float64{d.Top, d.Bottom, d.Left, d.Right} {
			c.num(at+"/doors", a, -89, 90)
		}
		c.num(at+"/doors/length", d.Length, 0.005, 20)
	}
}

func length(v [3]float64) float64 { return math.Sqrt(v[0]*v[0] + v[1]*v[1] + v[2]*v[2]) }

// Check reports what is wrong with a light by itself.
func (l *Light) Check() error {
	var c checker
	l.validate(&c, "")
	return c.err()
}
