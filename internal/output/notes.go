package output

import (
	"strconv"
	"strings"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	reading "github.com/yuin/goldmark/text"
	"github.com/yuin/goldmark/util"

	"pikegate/internal/paper"
)

// word is a word of notes, as it is printed.
type word struct {
	text string
	bold bool
	link string
	// glued tells that no blank stands before it, ends that a line ends behind it.
	glued, ends bool
}

// paragraph is a stretch of notes in lines of its own.
type paragraph struct {
	words  []word
	mark   string // before it, of a list
	indent float64
	size   float64
}

// notes are those of a report, in Markdown (CommonMark), as they stand beneath the records.
func (p *pagesWriter) notes() []block {
	if strings.TrimSpace(p.header.Page.Notes) == "" {
		return nil
	}
	source := []byte(p.header.Notes())
	var paragraphs []paragraph
	collect(goldmark.DefaultParser().Parse(reading.NewReader(source)), source, 0, &paragraphs)
	blocks := []block{{3, func(*paper.Page, float64) {}}}
	for _, para := range paragraphs {
		blocks = append(blocks, p.paragraph(para))
	}
	return blocks
}

// Notes are the notes of a report with answers in them, which are text and no Markdown.
func (h Header) Notes() string {
	return filled(h.Page.Notes, func(name string) string {
		var b strings.Builder
		for _, r := range strings.ReplaceAll(h.filled(name, 1, 0), "\n", " ") {
			if strings.ContainsRune("\\`*_{}[]<>()#+-.!|~&", r) {
				b.WriteByte('\\')
			}
			b.WriteRune(r)
		}
		return b.String()
	})
}

// collect takes notes apart into paragraphs.
func collect(n ast.Node, source []byte, indent float64, into *[]paragraph) {
	for child := n.FirstChild(); child != nil; child = child.NextSibling() {
		switch node := child.(type) {
		case *ast.List:
			number := node.Start
			for item := node.FirstChild(); item != nil; item = item.NextSibling() {
				mark := "•"
				if node.IsOrdered() {
					mark = strconv.Itoa(number) + "."
					number++
				}
				before := len(*into)
				collect(item, source, indent+5, into)
				if len(*into) > before {
					(*into)[before].mark = mark
				}
			}
		case *ast.Blockquote, *ast.ListItem:
			collect(node, source, indent+5, into)
		case *ast.Heading:
			made := paragraph{indent: indent, size: textSize + 1}
			inline(node, source, true, "", &made.words)
			*into = append(*into, made)
		case *ast.CodeBlock, *ast.FencedCodeBlock:
			for i := range node.Lines().Len() {
				line := node.Lines().At(i)
				*into = append(*into, paragraph{words: []word{{text: paper.Printable(strings.TrimRight(string(line.Value(source)), "\n"))}}, indent: indent + 5, size: textSize})
			}
		case *ast.Paragraph, *ast.TextBlock:
			made := paragraph{indent: indent, size: textSize}
			inline(node, source, false, "", &made.words)
			*into = append(*into, made)
		}
	}
}

// inline takes a paragraph apart into words.
func inline(n ast.Node, source []byte, bold bool, link string, into *[]word) {
	add := func(text string, ends bool) {
		glued := len(*into) > 0 && !strings.HasPrefix(text, " ") && !(*into)[len(*into)-1].ends
		if glued && strings.HasSuffix((*into)[len(*into)-1].text, " ") {
			glued = false
		}
		for i, part := range strings.Fields(text) {
			*into = append(*into, word{text: paper.Printable(part), bold: bold, link: link, glued: glued && i == 0})
		}
		if len(*into) > 0 && strings.HasSuffix(text, " ") {
			(*into)[len(*into)-1].text += " "
		}
		if ends && len(*into) > 0 {
			(*into)[len(*into)-1].ends = true
		}
	}
	for child := n.FirstChild(); child != nil; child = child.NextSibling() {
		switch node := child.(type) {
		case *ast.Text:
			value := string(util.UnescapePunctuations(util.ResolveEntityNames(util.ResolveNumericReferences(node.Segment.Value(source)))))
			if node.SoftLineBreak() {
				value += " "
			}
			add(value, node.HardLineBreak())
		case *ast.String:
			add(string(node.Value), false)
		case *ast.CodeSpan:
			inline(node, source, bold, link, into)
		case *ast.Emphasis: // there is one kind of letters that differ: bold ones
			inline(node, source, true, link, into)
		case *ast.Link:
			inline(node, source, bold, safeLink(string(node.Destination)), into)
		case *ast.AutoLink:
			inline(node, source, bold, link, into)
			add(string(node.URL(source)), false)
		default:
			inline(node, source, bold, link, into)
		}
	}
}

// safeLink is an address that a page may lead to.
func safeLink(address string) string {
	for _, scheme := range []string{"https://", "http://", "mailto:"} {
		if strings.HasPrefix(strings.ToLower(address), scheme) {
			return address
		}
	}
	return ""
}

// paragraph lays one out, its words in lines.
func (p *pagesWriter) paragraph(para paragraph) block {
	const high = 4.2
	blank := p.letters.Width(" ", para.size, false)
	room := p.room() - cellGap - para.indent
	var placed []paper.Text
	x, y := 0.0, 0.0
	for _, w := range para.words {
		for i, part := range p.letters.Wrapped(strings.TrimRight(w.text, " "), room, para.size, w.bold) {
			wide := p.letters.Width(part, para.size, w.bold)
			before := blank
			if x == 0 || w.glued && i == 0 {
				before = 0
			}
			if x > 0 && x+before+wide > room {
				x, y, before = 0, y+high, 0
			}
			placed = append(placed, paper.Text{X: x + before, Y: y, Text: part, Size: para.size, Width: wide, Bold: w.bold, Link: w.link})
			x += before + wide
		}
		if w.ends {
			x, y = 0, y+high
		}
	}
	return block{y + high + 1.2, func(page *paper.Page, top float64) {
		left := pageMargin + cellGap/2 + para.indent
		base := top + high*0.75
		if para.mark != "" {
			page.Texts = append(page.Texts, paper.Text{X: left - 4, Y: base, Text: para.mark, Size: para.size, Width: p.letters.Width(para.mark, para.size, false)})
		}
		for _, t := range placed {
			t.X, t.Y = t.X+left, t.Y+base
			page.Texts = append(page.Texts, t)
		}
	}}
}
