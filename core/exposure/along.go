package exposure

// Instant is what exposure does at one moment of a way.
type Instant struct {
	Seconds float64 `json:"seconds"`
	Held    float64 `json:"held"`    // EV100 as it is held there
	Wanted  float64 `json:"wanted"`  // what is metered
	Adapted float64 `json:"adapted"` // what automatic exposure has by then
	Dark    float64 `json:"dark"`    // EV of the picture's tenth part
	Bright  float64 `json:"bright"`  // and of its nine tenths
	Near    string  `json:"near"`    // what is near there
}

// Adapt works out what automatic exposure does along moments whose Wanted is known; it begins
// where the first one wants it.
func (a *Auto) Adapt(way []Instant) {
	for i := range way {
		if i == 0 {
			way[i].Adapted = way[i].Wanted
			continue
		}
		way[i].Adapted = a.Follow(way[i-1].Adapted, way[i].Wanted, way[i].Seconds-way[i-1].Seconds)
	}
}

// Swing is how far automatic exposure strays from what is held, and the moment at which it
// does most.
func Swing(way []Instant) (stops float64, at int) {
	for i, m := range way {
		if d := m.Adapted - m.Held; d > stops || -d > stops {
			stops, at = max(d, -d), i
		}
	}
	return stops, at
}
