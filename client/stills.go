package client

import (
	"context"
	"net/url"
	"strconv"
	"time"

	"webostrum/apitypes"
)

// Stills lists a feed's schedules, and the stills of one of them; an empty name lists none.
func (c *Client) Stills(ctx context.Context, feed, schedule string, from, to time.Time) (l apitypes.StillList, err error) {
	q := spanQuery(from, to)
	if schedule != "" {
		q.Set("schedule", schedule)
	}
	return l, c.call(ctx, "GET", feedPath(feed)+"/stills?"+q.Encode(), nil, &l)
}

// Films lists a feed's films.
func (c *Client) Films(ctx context.Context, feed string) (l apitypes.FilmList, err error) {
	return l, c.call(ctx, "GET", feedPath(feed)+"/films", nil, &l)
}

// MakeFilm has a film made.
func (c *Client) MakeFilm(ctx context.Context, feed string, f apitypes.NewFilm) (j apitypes.FilmJob, err error) {
	return j, c.call(ctx, "POST", feedPath(feed)+"/films", f, &j)
}

// RemoveFilm removes a film.
func (c *Client) RemoveFilm(ctx context.Context, feed, source, file string) error {
	return c.call(ctx, "DELETE", feedPath(feed)+"/films/"+url.PathEscape(source)+"/"+url.PathEscape(file), nil, nil)
}

// CancelFilm ends making a film.
func (c *Client) CancelFilm(ctx context.Context, feed string, id int) error {
	return c.call(ctx, "DELETE", feedPath(feed)+"/film-jobs/"+strconv.Itoa(id), nil, nil)
}
