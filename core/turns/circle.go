package turns

import (
	"slices"
	"strings"
)

// Circle finds out whether a feed that is made of others would be made of itself, which sources
// tells of each. It returns the way from one to the next, or nothing.
func Circle(name string, sources func(feed string) []string) string {
	seen := make(map[string]bool) // nothing leads back from these
	var look func(feed string, way []string) []string
	look = func(feed string, way []string) []string {
		for _, s := range sources(feed) {
			if s == name {
				return append(way, name)
			}
			if seen[s] {
				continue
			}
			seen[s] = true
			if found := look(s, append(slices.Clone(way), s)); found != nil {
				return found
			}
		}
		return nil
	}
	return strings.Join(look(name, []string{name}), ", ")
}
