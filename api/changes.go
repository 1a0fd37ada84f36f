package api

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"webostrum/store"
)

// tellChanges says what was changed of a feed, before and after. Credentials are only
// said to have changed.
func tellChanges(before, after store.Feed) string {
	var list []string
	b, a := flat(settingsOf(before)), flat(settingsOf(after))
	for _, path := range slices.Sorted(maps.Keys(a)) {
		if b[path] != a[path] {
			list = append(list, fmt.Sprintf("%s was %s and is %s", path, b[path], a[path]))
		}
	}
	if before.User != after.User || before.Password != after.Password {
		list = append(list, "the camera's user or password is another")
	}
	if before.URL != after.URL && hideQuery(before.URL) == hideQuery(after.URL) {
		list = append(list, "a hidden value of the camera's address is another")
	}
	if len(list) == 0 {
		return "the feed was edited, and nothing is different"
	}
	return "the feed was edited: " + strings.Join(list, "; ")
}

// flat is each setting as JSON, by its path.
func flat(settings any) map[string]string {
	var tree map[string]any
	body, err := json.Marshal(settings)
	if err != nil || json.Unmarshal(body, &tree) != nil {
		return nil
	}
	leaves := make(map[string]string)
	flatten(tree, "", leaves)
	return leaves
}

func flatten(tree map[string]any, path string, leaves map[string]string) {
	for name, value := range tree {
		if inner, ok := value.(map[string]any); ok {
			flatten(inner, path+name+".", leaves)
			continue
		}
		text, _ := json.Marshal(value) // it came out of JSON
		leaves[path+name] = string(text)
	}
}
