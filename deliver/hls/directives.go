package hls

import (
	"context"
	"errors"
	"net/url"
	"strconv"

	"webostrum/core/fault"
	"webostrum/core/hls"
)

// Delivery directives (draft-pantos-hls-rfc8216bis, 6.2.5).
const (
	directiveSequence = "_HLS_msn"
	directivePart     = "_HLS_part"
	directiveSkip     = "_HLS_skip"
)

// directives are what a player asks of a list.
type directives struct {
	blocking bool
	sequence uint64
	part     int
	skip     bool
}

// readDirectives reads what is asked; errors are *fault.Error.
func readDirectives(q url.Values) (d directives, err error) {
	d.part = hls.WholeSegment
	switch skip := q.Get(directiveSkip); skip {
	case "", "YES", "v2":
		d.skip = skip != ""
	default:
		return d, fault.New(fault.DirectiveRefused, nil, "%s=%.20q is neither YES nor v2.", directiveSkip, skip)
	}
	if !q.Has(directiveSequence) {
		if q.Has(directivePart) {
			return d, fault.New(fault.DirectiveRefused, nil, "%s goes with %s only.", directivePart, directiveSequence)
		}
		return d, nil
	}
	d.blocking = true
	if d.sequence, err = strconv.ParseUint(q.Get(directiveSequence), 10, 63); err != nil {
		return d, fault.New(fault.DirectiveRefused, nil, "%s=%.20q is no media sequence number.", directiveSequence, q.Get(directiveSequence))
	}
	if q.Has(directivePart) {
		part, err := strconv.ParseUint(q.Get(directivePart), 10, 31)
		if err != nil {
			return d, fault.New(fault.DirectiveRefused, nil, "%s=%.20q is no number of a part.", directivePart, q.Get(directivePart))
		}
		d.part = int(part)
	}
	return d, nil
}

// wait waits until the list has what was asked for; errors are *fault.Error.
func (d directives) wait(ctx context.Context, t *hls.Track) error {
	if !d.blocking {
		return nil
	}
	ctx, cancel := context.WithTimeout(ctx, waitTargets*t.Target())
	defer cancel()
	err := t.Wait(ctx, d.sequence, d.part)
	switch {
	case err == nil:
		return nil
	case errors.Is(err, hls.ErrFarAhead):
		return fault.New(fault.DirectiveRefused, nil, "Segment %d is too far ahead.", d.sequence)
	case errors.Is(err, hls.ErrEnded):
		return fault.New(fault.FeedNotReady, nil, "It is made no longer.")
	}
	return fault.New(fault.FeedNotReady, err, "Nothing new has come for a while.")
}
