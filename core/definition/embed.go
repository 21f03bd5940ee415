package definition

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"go.yaml.in/yaml/v4"
)

// Embed puts the iCalendar files that calendars name into the text of their definitions,
// beneath the names; what was put there before stays. Read gives what stands in a file.
func Embed(content []byte, read func(name string) ([]byte, error)) ([]byte, error) {
	if !bytes.Contains(content, []byte("file:")) {
		return content, nil
	}
	nodes, err := load(string(content))
	if err != nil {
		return content, nil // told where it is read
	}
	lines := strings.SplitAfter(string(content), "\n")
	type block struct {
		after, column int
		text          string
	}
	var blocks []block
	for i := range nodes {
		if len(nodes[i].Content) == 0 {
			continue
		}
		body := nodes[i].Content[0]
		kind, _ := valueOf(body, "kind")
		holidays, ok := valueOf(body, "holidays")
		if !ok || kind == nil || kind.Value != "calendar" {
			continue
		}
		for _, item := range holidays.Content {
			name, ok := valueOf(item, "file")
			if _, there := valueOf(item, "ics"); !ok || there || name.Value == "" {
				continue
			}
			if item.Style&yaml.FlowStyle != 0 {
				return nil, fmt.Errorf("line %d: write file: %s without braces, so that the file can be put beneath it", name.Line, name.Value)
			}
			text, err := read(name.Value)
			if err != nil {
				return nil, fmt.Errorf("line %d: %w", name.Line, err)
			}
			blocks = append(blocks, block{name.Line, item.Column - 1, string(text)})
		}
	}
	slices.Reverse(blocks) // so that the lines before stay where they are
	for _, b := range blocks {
		indent := strings.Repeat(" ", b.column)
		var put strings.Builder
		if !strings.HasSuffix(lines[b.after-1], "\n") {
			put.WriteByte('\n')
		}
		put.WriteString(indent + "ics: |\n")
		for line := range strings.Lines(strings.ReplaceAll(strings.TrimPrefix(b.text, "\ufeff"), "\r\n", "\n")) {
			put.WriteString(indent + "  " + strings.TrimRight(line, "\n") + "\n")
		}
		lines[b.after-1] += put.String()
	}
	return []byte(strings.Join(lines, "")), nil
}
