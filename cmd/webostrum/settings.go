package main

import (
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"
	"gopkg.in/yaml.v3"
)

// settingsFile is the YAML file of --config; it is read when the first setting
// is looked up, after its own flag was read.
type settingsFile struct {
	path   string
	read   bool
	values map[string]any
}

func (s *settingsFile) lookup(key string) (string, bool) {
	if !s.read {
		s.read = true
		path := firstOf(s.path, os.Getenv("WEBOSTRUM_CONFIG"), configArgument(os.Args))
		if path != "" {
			if err := s.load(path); err != nil {
				fmt.Fprintln(os.Stderr, "webostrum:", err)
				os.Exit(exitUsage)
			}
		}
	}
	v, ok := s.values[key]
	if list, isList := v.([]any); isList {
		words := make([]string, len(list))
		for i, w := range list {
			words[i] = fmt.Sprint(w)
		}
		return strings.Join(words, ","), ok
	}
	return fmt.Sprint(v), ok
}

func (s *settingsFile) load(path string) error {
	body, err := os.ReadFile(path)
	if err == nil {
		err = yaml.Unmarshal(body, &s.values)
	}
	if err != nil {
		return fmt.Errorf("the settings in %s cannot be used: %w", path, err)
	}
	return nil
}

// check says which keys of the file are no settings.
func (s *settingsFile) check(c *cli.Command) error {
	s.lookup("")
	known := []string{"commands"}
	for _, command := range c.Lineage() {
		for _, f := range command.Flags {
			known = append(known, f.Names()[0])
		}
	}
	for _, key := range slices.Sorted(maps.Keys(s.values)) {
		if !slices.Contains(known, key) {
			return usagef("%q in the settings file is no setting; \"webostrum settings\" prints a file with all of them", key)
		}
	}
	return nil
}

// commands are the programs that the file has send to feeds. There is no flag and no API for
// them: who may run programs here is who may write the file.
func (s *settingsFile) commands() (map[string][]string, error) {
	const form = `write "commands:" and, below it, a line for each feed such as  gate: [capture, --size, 1280x720]`
	s.lookup("")
	entry, ok := s.values["commands"]
	if !ok {
		return nil, nil
	}
	feeds, ok := entry.(map[string]any)
	if !ok {
		return nil, usagef("the settings file's commands cannot be used: %s", form)
	}
	list := make(map[string][]string)
	for feed, value := range feeds {
		words, ok := value.([]any)
		if !ok || len(words) == 0 {
			return nil, usagef("the settings file's command of %s is no list of a program and its arguments: %s", feed, form)
		}
		for _, w := range words {
			list[feed] = append(list[feed], fmt.Sprint(w))
		}
	}
	return list, nil
}

// configArgument finds --config before the flags are parsed: the values of
// other flags may come from the file.
func configArgument(args []string) string {
	for i, a := range args {
		if v, ok := strings.CutPrefix(a, "--config="); ok {
			return v
		}
		if a == "--config" && i+1 < len(args) {
			return args[i+1]
		}
	}
	return ""
}

// setting is one key of the file as a source of a flag's value.
type setting struct {
	file *settingsFile
	key  string
}

func (s setting) Lookup() (string, bool) { return s.file.lookup(s.key) }
func (s setting) String() string         { return "settings file" }
func (s setting) GoString() string       { return "setting " + s.key }

// from returns the sources of a setting: its variable, then the file.
func (a *app) from(key string) cli.ValueSourceChain {
	variable := "WEBOSTRUM_" + strings.ToUpper(strings.ReplaceAll(key, "-", "_"))
	return cli.NewValueSourceChain(cli.EnvVar(variable), setting{&a.settings, key})
}
