package setup

import "fmt"

// Route is a way through the level that somebody plays: over stops on the ground, on foot, or
// that of a camera of the place which travels.
type Route struct {
	Name  string  `json:"name"`
	Order float64 `json:"order"`
	// Stops are passed in their order, by the shortest way on foot. Camera is the name of a camera
	// of the place that travels, in their place.
	Stops  []Stop `json:"stops"`
	Camera string `json:"camera,omitempty"`
	// Speed in metres a second; Eye is how high over the ground the eye is; FovY its vertical
	// angle of view in degrees; Ahead how many metres along the way it looks.
	Speed float64 `json:"speed"`
	Eye   float64 `json:"eye"`
	FovY  float64 `json:"fovY"`
	Ahead float64 `json:"ahead"`
	// Figure is the path of who walks: the lamps that travel with it go along. Its colours are
	// those of the figure that is looked for ahead.
	Figure string `json:"figure,omitempty"`
	// Adapts has exposure follow as it adapts; else it is held as the views and zones hold it.
	Adapts bool  `json:"adapts,omitempty"`
	Rules  Rules `json:"rules"`
}

// Stop is a place on the ground that a route passes; its name is that of what begins there.
type Stop struct {
	Name string     `json:"name,omitempty"`
	At   [3]float64 `json:"at"`
}

// Rules are what a route is held to; 0: not held.
type Rules struct {
	Figure float64 `json:"figure"` // stops that a figure stands apart from what is behind it, at least
	Path   float64 `json:"path"`   // stops that the path ahead stands apart from the walls, at least
	Exit   float64 `json:"exit"`   // stops that the next exit stands apart from the wall about it, at least
	Lux    float64 `json:"lux"`    // at the eye, at least
	Dark   float64 `json:"dark"`   // share of the picture that is shown as black, at most
	Bright float64 `json:"bright"` // share of the picture that is shown as white, at most
	Swing  float64 `json:"swing"`  // stops that exposure has still to go, at most
	Ms     float64 `json:"ms"`     // of the frame; 0: the target's limit
}

// StandardRoute is how a route begins.
func StandardRoute() Route {
	return Route{Name: "Route", Stops: []Stop{}, Speed: 1.4, Eye: 1.6, FovY: 46, Ahead: 3, Adapts: true, Rules: Rules{Figure: 0.5, Lux: 0.5, Dark: 0.7, Bright: 0.2, Swing: 3}}
}

// Limits of routes.
const (
	MaxRoutes = 20
	MaxStops  = 200
)

func (r *Route) validate(c *checker, at, id string) {
	c.id(at, id)
	c.name(at+"/name", r.Name)
	c.ok(len(r.Stops) <= MaxStops, at+"/stops", "%d are over the limit of %d", len(r.Stops), MaxStops)
	for i, s := range r.Stops {
		c.place(fmt.Sprintf("%s/stops/%d/at", at, i), s.At)
		c.text(fmt.Sprintf("%s/stops/%d/name", at, i), s.Name, MaxName)
	}
	c.text(at+"/camera", r.Camera, maxText)
	c.text(at+"/figure", r.Figure, MaxPath)
	c.num(at+"/speed", r.Speed, 0.05, 100)
	c.num(at+"/eye", r.Eye, 0.05, 20)
	c.num(at+"/fovY", r.FovY, 5, 150)
	c.num(at+"/ahead", r.Ahead, 0.3, 100)
	u := &r.Rules
	for name, v := range map[string]float64{"figure": u.Figure, "path": u.Path, "exit": u.Exit, "lux": u.Lux, "dark": u.Dark, "bright": u.Bright, "swing": u.Swing, "ms": u.Ms} {
		c.num(at+"/rules/"+name, v, 0, 1e6)
	}
}
