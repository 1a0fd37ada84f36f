package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/urfave/cli/v3"
	"gopkg.in/yaml.v3"

	"webostrum/apitypes"
)

const fileHead = "# Feeds of Webostrum. \"webostrum feed import FILE\" has them be as it says here; twice changes nothing.\n" +
	"# What is left out has its default. The camera's user and password are not in it: they stay as they\n" +
	"# are, or may be written as camera: {user: ..., password: ...}.\n"

func (a *app) feedExport() *cli.Command {
	return &cli.Command{
		Name: "export", Usage: "write all feeds into a YAML file: feed export FILE; - is standard output", ArgsUsage: "FILE", OnUsageError: usageError,
		Arguments: []cli.Argument{&cli.StringArg{Name: "file", UsageText: "FILE"}},
		Action: func(ctx context.Context, c *cli.Command) error {
			path := c.StringArg("file")
			if path == "" {
				return usagef("into which file? webostrum feed export FILE; - is standard output")
			}
			cl, err := a.service(c)
			if err != nil {
				return err
			}
			file, err := cl.ExportFeeds(ctx)
			if err != nil {
				return err
			}
			text, err := feedYAML(file)
			if err != nil {
				return err
			}
			if path == "-" {
				_, err = a.out.Write(text)
				return err
			}
			if err := os.WriteFile(path, text, 0o644); err != nil {
				return err
			}
			fmt.Fprintf(a.out, "%d feeds are in %s, without their cameras' users and passwords.\n", len(file.Feeds), path)
			return nil
		},
	}
}

// feedYAML writes a file in the API's names, in their order.
func feedYAML(file apitypes.FeedFile) ([]byte, error) {
	body, err := json.Marshal(file)
	if err != nil {
		return nil, err
	}
	var node yaml.Node // JSON is YAML, and keeps its order so
	if err := yaml.Unmarshal(body, &node); err != nil {
		return nil, err
	}
	plainStyle(&node)
	var b bytes.Buffer
	b.WriteString(fileHead)
	enc := yaml.NewEncoder(&b)
	enc.SetIndent(2)
	if err := errors.Join(enc.Encode(&node), enc.Close()); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}

// plainStyle has a document written as people write YAML.
func plainStyle(n *yaml.Node) {
	n.Style = 0
	if n.Kind == yaml.SequenceNode && len(n.Content) == 0 {
		n.Style = yaml.FlowStyle
	}
	for _, child := range n.Content {
		plainStyle(child)
	}
}

func (a *app) feedImport() *cli.Command {
	return &cli.Command{
		Name: "import", Usage: "have feeds be as a YAML file says, all of it or nothing: feed import FILE; - is standard input", ArgsUsage: "FILE", OnUsageError: usageError,
		Flags: []cli.Flag{
			outputFlag(),
			&cli.BoolFlag{Name: "dry-run", Usage: "say what would change, and change nothing"},
			&cli.BoolFlag{Name: "remove-others", Usage: "remove feeds that the file does not have"},
		},
		Arguments: []cli.Argument{&cli.StringArg{Name: "file", UsageText: "FILE"}},
		Action: func(ctx context.Context, c *cli.Command) error {
			file, err := readFeedFile(c.StringArg("file"))
			if err != nil {
				return err
			}
			cl, err := a.service(c)
			if err != nil {
				return err
			}
			r, err := cl.ImportFeeds(ctx, file, c.Bool("dry-run"), c.Bool("remove-others"))
			if err != nil {
				return err
			}
			return a.show(c, r, func(w io.Writer) { printImport(w, r) })
		},
	}
}

func readFeedFile(path string) (any, error) {
	var body []byte
	var err error
	switch path {
	case "":
		return nil, usagef("which file? webostrum feed import FILE; - is standard input")
	case "-":
		body, err = io.ReadAll(os.Stdin)
	default:
		body, err = os.ReadFile(path)
	}
	var file map[string]any
	if err == nil {
		err = yaml.Unmarshal(body, &file)
	}
	if err != nil {
		return nil, usagef("the file cannot be read: %v", err)
	}
	if _, ok := file["feeds"].([]any); !ok {
		return nil, usagef("the file has no list of feeds: it begins with \"feeds:\", and \"webostrum feed export -\" shows how it goes on")
	}
	return file, nil
}

func printImport(w io.Writer, r apitypes.FeedFileResult) {
	would := ""
	if !r.Done {
		would = "would be "
	}
	list := func(what string, names []string) {
		if len(names) > 0 {
			row(w, fmt.Sprintf("%s%s: %s", would, what, strings.Join(names, ", ")))
		}
	}
	list("added", r.Added)
	list("changed", r.Changed)
	list("removed", r.Removed)
	row(w, fmt.Sprintf("%d as they were", r.Unchanged))
	if len(r.Keys) > 0 && r.Done {
		row(w, fmt.Sprintf("Somebody sends to %s: \"webostrum feed key NAME\" makes the key for that.", strings.Join(r.Keys, ", ")))
	}
}
