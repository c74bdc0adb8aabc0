package setup

// Drawn is how the target draws a light's shadow at run time. The reference
// picture does not depend on it.
type Drawn struct {
	Bias      float64 `json:"bias"`      // metres along the light's ray
	Normal    float64 `json:"normal"`    // texels along the surface's normal
	Filter    float64 `json:"filter"`    // width in texels
	Cascades  int     `json:"cascades"`  // of a sun; 0: the target's
	Distance  float64 `json:"distance"`  // metres from the eye, where a sun's shadows end
	Contact   float64 `json:"contact"`   // metres that contact shadows reach; 0: none
	Thickness float64 `json:"thickness"` // metres that they take things to be thick
	Traced    int     `json:"traced"`    // rays instead of a map; 0: the map
	// Every is in how many frames the maps are drawn once: 2 at half the rate; 0 and 1: in each.
	Every int `json:"every,omitempty"`
}

// StandardDrawn is what a light has that says nothing.
var StandardDrawn = Drawn{Bias: 0.02, Normal: 1.5, Filter: 3, Distance: 60, Thickness: 0.3}

func (d *Drawn) validate(c *checker, at string) {
	c.num(at+"/bias", d.Bias, 0, 10)
	c.num(at+"/normal", d.Normal, 0, 50)
	c.num(at+"/filter", d.Filter, 0, 32)
	c.num(at+"/cascades", float64(d.Cascades), 0, 8)
	c.num(at+"/distance", d.Distance, 0, 1e5)
	c.num(at+"/contact", d.Contact, 0, 10)
	c.num(at+"/thickness", d.Thickness, 0, 10)
	c.num(at+"/traced", float64(d.Traced), 0, 64)
	c.num(at+"/every", float64(d.Every), 0, 8)
}
