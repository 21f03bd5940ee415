package definition

import (
	"fmt"
	"slices"
	"strings"

	"go.yaml.in/yaml/v4"
)

// WithNames is a document with names in its fields replaced: the name itself, that of a
// report's query. Everything else stays as it was written. It fails where a field is
// missing or is not written as a name is.
func WithNames(text string, names map[string]string) (string, error) {
	nodes, err := load(text)
	if err != nil {
		return "", err
	}
	if len(nodes) != 1 || len(nodes[0].Content) != 1 {
		return "", fmt.Errorf("definition: the text is not one document")
	}
	lines := strings.SplitAfter(text, "\n")
	type change struct {
		node *yaml.Node
		to   string
	}
	var changes []change
	for field, to := range names {
		n, ok := valueOf(nodes[0].Content[0], field)
		if !ok || n.Kind != yaml.ScalarNode || n.Line < 1 || n.Line > len(lines) {
			return "", fmt.Errorf("definition: the document has no %s", field)
		}
		changes = append(changes, change{n, to})
	}
	slices.SortFunc(changes, func(a, b change) int { return b.node.Column - a.node.Column }) // the last of a line first
	for _, c := range changes {
		line := lines[c.node.Line-1]
		before := string([]rune(line)[:c.node.Column-1])
		rest := strings.TrimPrefix(line, before)
		written := c.node.Value
		for _, quote := range []string{`"`, "'"} {
			if strings.HasPrefix(rest, quote) {
				written = quote + c.node.Value + quote
			}
		}
		if !strings.HasPrefix(rest, written) {
			return "", fmt.Errorf("definition: %q is not written as a name", c.node.Value)
		}
		lines[c.node.Line-1] = before + c.to + strings.TrimPrefix(rest, written)
	}
	return strings.Join(lines, ""), nil
}
