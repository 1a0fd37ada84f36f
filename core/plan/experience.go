package plan

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"time"
)

// EngineOf names the engine and its major version by what a browser calls itself (RFC
// 9110, 10.1.5). All browsers of iOS are WebKit, whatever they are called. The engine is
// empty where it is none of those that are tested.
func EngineOf(userAgent string) (engine string, version int) {
	for _, e := range []struct {
		engine string
		mark   *regexp.Regexp
	}{{WebKit, iosMark}, {Chromium, chromiumMark}, {Firefox, firefoxMark}, {WebKit, webKitMark}} {
		if m := e.mark.FindStringSubmatch(userAgent); m != nil {
			version, _ = strconv.Atoi(m[1]) // three digits at most
			return e.engine, version
		}
	}
	return "", 0
}

var (
	iosMark      = regexp.MustCompile(`\((?:iPhone|iPad|iPod)[^)]*? OS (\d{1,3})_`)
	chromiumMark = regexp.MustCompile(`(?:Chrome|Chromium)/(\d{1,3})\.`)
	firefoxMark  = regexp.MustCompile(`Gecko/\S+ Firefox/(\d{1,3})\.`)
	webKitMark   = regexp.MustCompile(`AppleWebKit/\S+ .*Version/(\d{1,3})\.`)
)

// Experience is what viewers' players have reported of a delivery in an engine.
type Experience struct {
	Engine   string
	Version  int // the newest that was seen
	Delivery Delivery
	Plays    int    // times that pictures came
	Failures int    // times that it was given up before any came
	Reason   string // of a failure
	Watched  time.Duration
	Stalls   int
	Stalled  time.Duration
	Delay    time.Duration // the mean while it was watched; 0 when nobody knew

	H265Plays  int // plays in browsers that decode H.265 smoothly by Media Source Extensions
	H265Cannot int // plays in those that do not
}

// enoughTries is how many tries have to be reported before they correct what was tested.
const enoughTries = 5

// StallsAnHour is how often an hour the picture stood still.
func (e Experience) StallsAnHour() float64 {
	if e.Watched <= 0 {
		return 0
	}
	return float64(e.Stalls) / e.Watched.Hours()
}

// verdict says what experience makes of whether an engine plays a delivery; ok is false
// while it is not enough to tell.
func (e Experience) verdict() (plays, ok bool) {
	tries := e.Plays + e.Failures
	return e.Plays >= e.Failures, tries >= enoughTries
}

// correct gives a player what viewers' players have reported of it.
func (p *Player) correct(all []Experience, d Delivery) {
	i := slices.IndexFunc(all, func(e Experience) bool { return e.Engine == p.Engine && e.Delivery == d })
	if i < 0 {
		return
	}
	e := all[i]
	p.Reported = &e
	plays, ok := e.verdict()
	if !ok || plays == p.Plays {
		return
	}
	p.Plays = plays
	if plays {
		p.How = fmt.Sprintf("not in the version tested here, but viewers have it (%d of %d)", e.Plays, e.Plays+e.Failures)
	} else {
		p.How = fmt.Sprintf("as tested here, but %d of %d viewers could not: %s", e.Failures, e.Plays+e.Failures, e.Reason)
	}
}

// Fails says whether viewers with an engine could not play a delivery, most of them, and
// how that is put.
func Fails(all []Experience, engine string, d Delivery) (why string, fails bool) {
	for _, e := range all {
		if e.Engine != engine || e.Delivery != d {
			continue
		}
		if plays, ok := e.verdict(); ok && !plays {
			return fmt.Sprintf("%d of %d viewers with %s could not play %s", e.Failures, e.Plays+e.Failures, engine, d.Name()), true
		}
	}
	return "", false
}

// PutLast moves what viewers with an engine could not play to the end of the order.
func (c *Choice) PutLast(all []Experience, engine string) {
	var good, bad []Delivery
	for _, d := range c.Order {
		if why, fails := Fails(all, engine, d); fails {
			if len(good) == 0 {
				c.Why = why
			}
			bad = append(bad, d)
			continue
		}
		good = append(good, d)
	}
	c.Order = append(good, bad...)
}
