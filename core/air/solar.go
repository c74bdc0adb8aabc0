package air

import (
	"math"
	"time"
)

// SunAt is where the sun stands: its height over the horizon with the bend of light in the
// air, and its azimuth clockwise from the north, in degrees. North latitudes and east
// longitudes are positive. Good to 0.02 degrees from 1950 to 2050 (Meeus, Astronomical
// Algorithms, chapters 25 and 16).
func SunAt(at time.Time, latitude, longitude float64) (height, azimuth float64) {
	const rad = math.Pi / 180
	days := float64(at.UTC().UnixMilli())/86400000 + 2440587.5 - 2451545 // of UT since 2000-01-01 12:00
	t := (days + 69.0/86400) / 36525                                     // centuries of dynamical time
	long := 280.46646 + t*(36000.76983+t*0.0003032)
	anomaly := (357.52911 + t*(35999.05029-t*0.0001537)) * rad
	centre := (1.914602-t*(0.004817+t*0.000014))*math.Sin(anomaly) + (0.019993-t*0.000101)*math.Sin(2*anomaly) + 0.000289*math.Sin(3*anomaly)
	node := (125.04 - 1934.136*t) * rad
	seen := (long + centre - 0.00569 - 0.00478*math.Sin(node)) * rad
	tilt := (23.439291 - t*0.0130042 + 0.00256*math.Cos(node)) * rad
	ascension := math.Atan2(math.Cos(tilt)*math.Sin(seen), math.Cos(seen))
	declination := math.Asin(math.Sin(tilt) * math.Sin(seen))
	sidereal := (280.46061837 + 360.98564736629*days) * rad
	hour := sidereal + longitude*rad - ascension
	lat := latitude * rad
	h := math.Asin(math.Sin(lat)*math.Sin(declination) + math.Cos(lat)*math.Cos(declination)*math.Cos(hour))
	azimuth = math.Atan2(math.Sin(hour), math.Cos(hour)*math.Sin(lat)-math.Tan(declination)*math.Cos(lat))/rad + 180
	height = h / rad
	if height > -1 {
		// Saemundsson's formula, in minutes of arc.
		height += 1.02 / math.Tan((height+10.3/(height+5.11))*rad) / 60
	}
	return height, math.Mod(azimuth+360, 360)
}
