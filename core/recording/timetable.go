package recording

import (
	"fmt"
	"strconv"
	"strings"
	"time"
)

// Timetable is when a feed is recorded in a week.
type Timetable []period

// period is some days and a time of them; one that ends at or before it begins goes on into
// the next day.
type period struct {
	days       [7]bool // from Sunday
	begin, end int     // minutes of the day
}

var dayNames = [7]string{"sun", "mon", "tue", "wed", "thu", "fri", "sat"}

const (
	minutesADay = 24 * 60
	mostPeriods = 50
)

// ParseTimetable reads periods such as "mon-fri 07:00-19:00, sat,sun 22:00-02:00". Days may
// be left out, for every day.
func ParseTimetable(text string) (Timetable, error) {
	var t Timetable
	var days []string
	fields := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return r == ',' || r == ' ' || r == ';' || r == '\n' })
	for _, word := range fields {
		if !strings.Contains(word, ":") {
			days = append(days, word)
			continue
		}
		p, err := parsePeriod(days, word)
		if err != nil {
			return nil, err
		}
		if t, days = append(t, p), nil; len(t) > mostPeriods {
			return nil, fmt.Errorf("a timetable has %d periods at most", mostPeriods)
		}
	}
	if len(days) > 0 {
		return nil, fmt.Errorf("%q has no time of day: write it like \"mon-fri 07:00-19:00\"", strings.Join(days, ","))
	}
	if len(t) == 0 {
		return nil, fmt.Errorf("a timetable is like \"mon-fri 07:00-19:00, sat 08:00-12:00\"")
	}
	return t, nil
}

func parsePeriod(days []string, hours string) (p period, err error) {
	from, to, ok := strings.Cut(hours, "-")
	if !ok {
		return p, fmt.Errorf("%q is no time of day from and to: write it like 07:00-19:00", hours)
	}
	if p.begin, err = parseClock(from, minutesADay-1); err != nil {
		return p, err
	}
	if p.end, err = parseClock(to, minutesADay); err != nil {
		return p, err
	}
	if len(days) == 0 {
		days = []string{"sun-sat"}
	}
	for _, d := range days {
		if err := p.addDays(d); err != nil {
			return p, err
		}
	}
	return p, nil
}

func (p *period) addDays(text string) error {
	from, to, ranged := strings.Cut(text, "-")
	if !ranged {
		to = from
	}
	a, b := dayOf(from), dayOf(to)
	if a < 0 || b < 0 {
		return fmt.Errorf("%q is no day: write mon, tue, wed, thu, fri, sat, sun, or mon-fri", text)
	}
	for d := a; ; d = (d + 1) % len(dayNames) {
		p.days[d] = true
		if d == b {
			return nil
		}
	}
}

func dayOf(name string) int {
	for i, d := range dayNames {
		if len(name) >= len(d) && strings.HasPrefix(name, d) {
			return i
		}
	}
	return -1
}

func parseClock(text string, most int) (int, error) {
	h, m, ok := strings.Cut(text, ":")
	hour, err1 := strconv.Atoi(h)
	minute, err2 := strconv.Atoi(m)
	if n := hour*60 + minute; ok && err1 == nil && err2 == nil && hour >= 0 && minute >= 0 && minute < 60 && n <= most {
		return n, nil
	}
	return 0, fmt.Errorf("%q is no time of day: write it like 07:30", text)
}

// At says whether a moment is in the timetable, in the moment's own time zone.
func (t Timetable) At(now time.Time) bool {
	minute, day := now.Hour()*60+now.Minute(), int(now.Weekday())
	for _, p := range t {
		switch over := p.end <= p.begin; {
		case !over && p.days[day] && minute >= p.begin && minute < p.end,
			over && p.days[day] && minute >= p.begin,
			over && p.days[(day+6)%7] && minute < p.end:
			return true
		}
	}
	return false
}
