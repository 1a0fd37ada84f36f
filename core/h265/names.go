package h265

import (
	"fmt"
	"math/bits"
	"strings"
)

// CodecString is the RFC 6381 parameter (ISO/IEC 14496-15, annex E.3), such as
// "hvc1.1.6.L93.B0".
func (p ProfileTierLevel) CodecString() string {
	var b strings.Builder
	b.WriteString("hvc1.")
	if p.Space > 0 {
		b.WriteByte('A' + p.Space - 1)
	}
	tier := 'L'
	if p.High {
		tier = 'H'
	}
	fmt.Fprintf(&b, "%d.%X.%c%d", p.Profile, bits.Reverse32(p.Compatibility), tier, p.Level)
	last := len(p.Constraints)
	for last > 0 && p.Constraints[last-1] == 0 {
		last--
	}
	for _, c := range p.Constraints[:last] {
		fmt.Fprintf(&b, ".%X", c)
	}
	return b.String()
}

// ProfileName is the profile in words (annex A.3).
func (p ProfileTierLevel) ProfileName() string {
	switch p.Profile {
	case 1:
		return "Main"
	case 2:
		return "Main 10"
	case 3:
		return "Main Still Picture"
	case 4:
		return "Range Extensions"
	}
	return fmt.Sprintf("profile %d", p.Profile)
}

// LevelName is the level in words, such as "3.1", with its tier where that is the high one
// (A.4).
func (p ProfileTierLevel) LevelName() string {
	const steps, tenths = 30, 3
	name := fmt.Sprintf("%d", p.Level/steps)
	if rest := p.Level % steps / tenths; rest > 0 {
		name += fmt.Sprintf(".%d", rest)
	} else {
		name += ".0"
	}
	if p.High {
		name += " (high tier)"
	}
	return name
}
