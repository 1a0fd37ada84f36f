package main

import (
	"slices"
	"strings"
	"unicode/utf8"
)

const (
	columnGap      = 2
	narrowestCells = 10 // columns that are never made narrower than this
)

// layOut sets lines of cells, parted by tabs, in columns; those of each paragraph have
// widths of their own. Where they are wider than the terminal, the widest columns are
// wrapped at words; a width of 0 wraps nothing. A line of one cell stands by itself.
func layOut(text string, width int) string {
	var paragraphs []string
	for p := range strings.SplitSeq(strings.TrimSuffix(text, "\n"), "\n\n") {
		paragraphs = append(paragraphs, layOutParagraph(p, width))
	}
	return strings.Join(paragraphs, "\n")
}

func layOutParagraph(text string, width int) string {
	var rows [][]string
	for line := range strings.Lines(text) {
		rows = append(rows, strings.Split(strings.TrimSuffix(line, "\n"), "\t"))
	}
	widths := columnWidths(rows, width)
	var b strings.Builder
	for _, cells := range rows {
		if len(cells) == 1 {
			b.WriteString(strings.Join(wrapWords(cells[0], width), "\n") + "\n")
			continue
		}
		writeRow(&b, cells, widths)
	}
	return b.String()
}

func columnWidths(rows [][]string, width int) []int {
	var widths []int
	for _, cells := range rows {
		if len(cells) == 1 {
			continue
		}
		for i, c := range cells {
			if i == len(widths) {
				widths = append(widths, 0)
			}
			widths[i] = max(widths[i], utf8.RuneCountInString(c))
		}
	}
	if width == 0 || len(widths) == 0 {
		return widths
	}
	over := columnGap*(len(widths)-1) - width
	for _, w := range widths {
		over += w
	}
	for ; over > 0; over-- {
		widest := slices.Index(widths, slices.Max(widths))
		if widths[widest] <= narrowestCells {
			break
		}
		widths[widest]--
	}
	return widths
}

func writeRow(b *strings.Builder, cells []string, widths []int) {
	wrapped := make([][]string, len(cells))
	height := 1
	for i, c := range cells {
		wrapped[i] = wrapWords(c, widths[i])
		height = max(height, len(wrapped[i]))
	}
	for y := range height {
		var line strings.Builder
		for i, lines := range wrapped {
			cell := ""
			if y < len(lines) {
				cell = lines[y]
			}
			line.WriteString(cell)
			if i < len(wrapped)-1 {
				line.WriteString(strings.Repeat(" ", max(widths[i]-utf8.RuneCountInString(cell), 0)+columnGap))
			}
		}
		b.WriteString(strings.TrimRight(line.String(), " ") + "\n")
	}
}

// wrapWords breaks a text at spaces. A word that is too long, such as an
// address, stays whole, so that it can be copied.
func wrapWords(text string, width int) []string {
	if width == 0 || utf8.RuneCountInString(text) <= width {
		return []string{text}
	}
	var lines []string
	line := ""
	for _, word := range strings.Fields(text) {
		if line != "" && utf8.RuneCountInString(line)+1+utf8.RuneCountInString(word) > width {
			lines = append(lines, line)
			line = ""
		}
		if line != "" {
			line += " "
		}
		line += word
	}
	return append(lines, line)
}
