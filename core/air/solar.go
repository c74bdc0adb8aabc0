package air

import (
	"math"
	"time"
)

const rad = math.Pi / 180

// moment is a time as astronomers count it: days of UT since 2000-01-01 12:00, and centuries
// of dynamical time.
func moment(at time.Time) (days, centuries float64) {
	days = float64(at.UTC().UnixMilli())/86400000 + 2440587.5 - 2451545
	return days, (days + 69.0/86400) / 36525
}

// sunLongitude is where the sun stands in the ecliptic, in radians, as it is seen, and the
// ecliptic's tilt.
func sunLongitude(t float64) (seen, tilt float64) {
	long := 280.46646 + t*(36000.76983+t*0.0003032)
	anomaly := (357.52911 + t*(35999.05029-t*0.0001537)) * rad
	centre := (1.914602-t*(0.004817+t*0.000014))*math.Sin(anomaly) + (0.019993-t*0.000101)*math.Sin(2*anomaly) + 0.000289*math.Sin(3*anomaly)
	node := (125.04 - 1934.136*t) * rad
	return (long + centre - 0.00569 - 0.00478*math.Sin(node)) * rad, (23.439291 - t*0.0130042 + 0.00256*math.Cos(node)) * rad
}

// overHorizon is the height over the horizon and the azimuth clockwise from the north, in
// degrees, of what stands at a longitude and a latitude of the ecliptic, in radians; without
// the bend of light.
func overHorizon(long, lat, tilt, days, latitude, longitude float64) (height, azimuth float64) {
	ascension := math.Atan2(math.Sin(long)*math.Cos(tilt)-math.Tan(lat)*math.Sin(tilt), math.Cos(long))
	declination := math.Asin(math.Sin(lat)*math.Cos(tilt) + math.Cos(lat)*math.Sin(tilt)*math.Sin(long))
	sidereal := (280.46061837 + 360.98564736629*days) * rad
	hour := sidereal + longitude*rad - ascension
	phi := latitude * rad
	h := math.Asin(math.Sin(phi)*math.Sin(declination) + math.Cos(phi)*math.Cos(declination)*math.Cos(hour))
	azimuth = math.Atan2(math.Sin(hour), math.Cos(hour)*math.Sin(phi)-math.Tan(declination)*math.Cos(phi))/rad + 180
	return h / rad, math.Mod(azimuth+360, 360)
}

// bent adds to a height over the horizon the bend of light in the air (Saemundsson's formula,
// in minutes of arc).
func bent(height float64) float64 {
	if height <= -1 {
		return height
	}
	return height + 1.02/math.Tan((height+10.3/(height+5.11))*rad)/60
}

// SunAt is where the sun stands: its height over the horizon with the bend of light in the
// air, and its azimuth clockwise from the north, in degrees. North latitudes and east
// longitudes are positive. Good to 0.02 degrees from 1950 to 2050 (Meeus, Astronomical
// Algorithms, chapters 25 and 16).
func SunAt(at time.Time, latitude, longitude float64) (height, azimuth float64) {
	days, t := moment(at)
	seen, tilt := sunLongitude(t)
	height, azimuth = overHorizon(seen, 0, tilt, days, latitude, longitude)
	return bent(height), azimuth
}

// moonPlace is where the moon stands in the ecliptic as seen from the middle of the earth, and
// its parallax, all in radians: good to 0.3 degrees (The Astronomical Almanac, low-precision
// formulae for geocentric coordinates of the moon).
func moonPlace(t float64) (long, lat, parallax float64) {
	sin := func(a, b float64) float64 { return math.Sin((a + b*t) * rad) }
	cos := func(a, b float64) float64 { return math.Cos((a + b*t) * rad) }
	long = 218.32 + 481267.881*t + 6.29*sin(135.0, 477198.87) - 1.27*sin(259.3, -413335.36) + 0.66*sin(235.7, 890534.22) +
		0.21*sin(269.9, 954397.74) - 0.19*sin(357.5, 35999.05) - 0.11*sin(186.5, 966404.03)
	lat = 5.13*sin(93.3, 483202.02) + 0.28*sin(228.2, 960400.89) - 0.28*sin(318.3, 6003.15) - 0.17*sin(217.6, -407332.21)
	parallax = 0.9508 + 0.0518*cos(135.0, 477198.87) + 0.0095*cos(259.3, -413335.36) + 0.0078*cos(235.7, 890534.22) + 0.0028*cos(269.9, 954397.74)
	return long * rad, lat * rad, parallax * rad
}

// MoonAt is where the moon stands, as SunAt, good to half a degree, and the lit share of its
// disc (Meeus, chapter 48).
func MoonAt(at time.Time, latitude, longitude float64) (height, azimuth, lit float64) {
	days, t := moment(at)
	sun, tilt := sunLongitude(t)
	long, lat, parallax := moonPlace(t)
	height, azimuth = overHorizon(long, lat, tilt, days, latitude, longitude)
	height -= math.Asin(math.Sin(parallax)*math.Cos(height*rad)) / rad
	away := math.Acos(math.Cos(lat) * math.Cos(long-sun))
	// The sun is some 390 times as far off as the moon.
	phase := math.Atan2(math.Sin(away), 1.0/390-math.Cos(away))
	return bent(height), azimuth, (1 + math.Cos(phase)) / 2
}
