// Package sun computes when the sun rises and sets at a place, as in the "Almanac for
// Computers" of the United States Naval Observatory (1990): to a minute or two between the
// polar circles, which is more than a schedule of pictures needs.
package sun

import (
	"math"
	"time"
)

// zenith is where the sun's middle is when its upper edge shows itself, degrees: refraction
// and half its width are in it.
const zenith = 90.8333

// Times returns when the sun rises and sets on the day of a moment, in its time zone, at a
// latitude and longitude in degrees, north and east positive. up says whether it is up all
// day or not at all where it does neither; ok is false then.
func Times(day time.Time, latitude, longitude float64) (rise, set time.Time, up, ok bool) {
	rise, riseUp, riseOK := at(day, latitude, longitude, true)
	set, _, setOK := at(day, latitude, longitude, false)
	return rise, set, riseUp, riseOK && setOK
}

// Up says whether the sun is up at a moment.
func Up(now time.Time, latitude, longitude float64) bool {
	rise, set, up, ok := Times(now, latitude, longitude)
	if !ok {
		return up
	}
	return !now.Before(rise) && now.Before(set)
}

func rad(degrees float64) float64 { return degrees * math.Pi / 180 }
func deg(radians float64) float64 { return radians * 180 / math.Pi }

func within(v, full float64) float64 { return math.Mod(math.Mod(v, full)+full, full) }

// at is the moment of one of both; up says, where there is none, whether the sun is above.
func at(day time.Time, latitude, longitude float64, rising bool) (t time.Time, up, ok bool) {
	y, m, d := day.Date()
	midnight := time.Date(y, m, d, 0, 0, 0, 0, day.Location())
	n := float64(day.YearDay())
	hour := longitude / 15
	near := n + (18-hour)/24
	if rising {
		near = n + (6-hour)/24
	}
	anomaly := 0.9856*near - 3.289
	l := within(anomaly+1.916*math.Sin(rad(anomaly))+0.020*math.Sin(rad(2*anomaly))+282.634, 360) // true longitude
	ascension := within(deg(math.Atan(0.91764*math.Tan(rad(l)))), 360)
	ascension += math.Floor(l/90)*90 - math.Floor(ascension/90)*90
	ascension /= 15
	sinDec := 0.39782 * math.Sin(rad(l))
	cosDec := math.Cos(math.Asin(sinDec))
	cosHour := (math.Cos(rad(zenith)) - sinDec*math.Sin(rad(latitude))) / (cosDec * math.Cos(rad(latitude)))
	if cosHour > 1 || cosHour < -1 || math.IsNaN(cosHour) {
		return t, cosHour < -1, false
	}
	h := deg(math.Acos(cosHour))
	if rising {
		h = 360 - h
	}
	local := h/15 + ascension - 0.06571*near - 6.622
	utc := within(local-hour, 24)
	t = time.Date(y, m, d, 0, 0, 0, 0, time.UTC).Add(time.Duration(utc * float64(time.Hour))).In(day.Location())
	for t.Before(midnight) {
		t = t.Add(24 * time.Hour)
	}
	for !t.Before(midnight.AddDate(0, 0, 1)) {
		t = t.Add(-24 * time.Hour)
	}
	return t, false, true
}
