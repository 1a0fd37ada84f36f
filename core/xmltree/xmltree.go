// Package xmltree reads the XML that devices send (XML 1.0) into a tree in which names are
// found whatever their prefix and capitals are, since devices differ in both.
//
// Limits: 1 MiB, 64 levels, 20,000 elements. Document types are refused, and with them
// entities of the sender's own.
package xmltree

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strings"
)

// Bounds of what is read.
const (
	MostBytes = 1 << 20
	mostDepth = 64
	mostNodes = 20_000
)

// The refusals.
var (
	ErrTooLarge = errors.New("xmltree: there is more XML than a device has to say")
	ErrDocType  = errors.New("xmltree: a document type is not read")
	ErrEmpty    = errors.New("xmltree: there is no element")
)

// Node is an element. Names are in small letters and without prefix.
type Node struct {
	Name     string
	Attr     map[string]string
	Text     string // all text directly in it, without space around it
	Children []*Node
}

// Parse reads a document.
func Parse(data []byte) (*Node, error) {
	if len(data) > MostBytes {
		return nil, ErrTooLarge
	}
	d := xml.NewDecoder(bytes.NewReader(data))
	d.Strict = false // devices leave attributes without quotes, and entities open
	d.CharsetReader = func(_ string, in io.Reader) (io.Reader, error) { return in, nil }
	var root *Node
	var open []*Node
	count := 0
	for {
		token, err := d.RawToken()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, fmt.Errorf("xmltree: %w", err)
		}
		switch t := token.(type) {
		case xml.Directive:
			return nil, ErrDocType
		case xml.StartElement:
			if count++; count > mostNodes || len(open) >= mostDepth {
				return nil, ErrTooLarge
			}
			n := &Node{Name: strings.ToLower(t.Name.Local)}
			for _, a := range t.Attr {
				n.set(strings.ToLower(a.Name.Local), a.Value)
			}
			if len(open) > 0 {
				parent := open[len(open)-1]
				parent.Children = append(parent.Children, n)
			} else if root == nil {
				root = n
			}
			open = append(open, n)
		case xml.EndElement:
			if len(open) == 0 || open[len(open)-1].Name != strings.ToLower(t.Name.Local) {
				return nil, fmt.Errorf("xmltree: %s ends where it has not begun", t.Name.Local)
			}
			open[len(open)-1].Text = strings.TrimSpace(open[len(open)-1].Text)
			open = open[:len(open)-1]
		case xml.CharData:
			if len(open) > 0 {
				open[len(open)-1].Text += string(t)
			}
		}
	}
	switch {
	case root == nil:
		return nil, ErrEmpty
	case len(open) > 0:
		return nil, fmt.Errorf("xmltree: %s does not end", open[len(open)-1].Name)
	}
	return root, nil
}

func (n *Node) set(name, value string) {
	if n.Attr == nil {
		n.Attr = make(map[string]string)
	}
	n.Attr[name] = value
}

// First returns the first element by a path of names below n, or nil; n may be nil.
func (n *Node) First(path ...string) *Node {
	for _, name := range path {
		if n == nil {
			return nil
		}
		n = n.child(name)
	}
	return n
}

func (n *Node) child(name string) *Node {
	for _, c := range n.Children {
		if strings.EqualFold(c.Name, name) {
			return c
		}
	}
	return nil
}

// All returns the elements of a name directly below n, which may be nil.
func (n *Node) All(name string) (list []*Node) {
	if n == nil {
		return nil
	}
	for _, c := range n.Children {
		if strings.EqualFold(c.Name, name) {
			list = append(list, c)
		}
	}
	return list
}

// Value returns the text of the element at a path; empty where there is none.
func (n *Node) Value(path ...string) string {
	if n = n.First(path...); n == nil {
		return ""
	}
	return n.Text
}

// Attribute returns an attribute of n, which may be nil.
func (n *Node) Attribute(name string) string {
	if n == nil {
		return ""
	}
	return n.Attr[strings.ToLower(name)]
}

// Escape writes text so that it can stand in XML.
func Escape(text string) string {
	var b strings.Builder
	_ = xml.EscapeText(&b, []byte(text)) // a builder takes everything
	return b.String()
}
