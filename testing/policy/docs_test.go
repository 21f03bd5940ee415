package policy

import (
	"os"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/period"
)

var (
	code  = regexp.MustCompile("`([^`]+)`")
	block = regexp.MustCompile("(?s)```yaml\n(.*?)```")
)

func read(t *testing.T, name string) string {
	t.Helper()
	content, err := os.ReadFile("../../docs/" + name)
	require.NoError(t, err)
	return string(content)
}

// TestPeriodExamples reads every example of the language of periods.
func TestPeriodExamples(t *testing.T) {
	ctx := civil.Context{Zone: time.UTC, Now: civil.Instant(civil.DateOf(2026, 3, 18).Midnight()), WeekStart: time.Monday, FiscalStart: 4}
	forms, _, _ := strings.Cut(read(t, "periods.md"), "## Calendar")
	examples := 0
	for _, line := range strings.Split(forms, "\n") {
		cells := strings.Split(line, "|")
		if len(cells) < 4 {
			continue
		}
		for _, m := range code.FindAllStringSubmatch(cells[2], -1) {
			examples++
			_, problems := period.Read(m[1], ctx)
			assert.Empty(t, problems, m[1])
		}
	}
	assert.Greater(t, examples, 50)
}

// TestDefinitionExamples checks every definition the documentation shows.
func TestDefinitionExamples(t *testing.T) {
	for _, name := range []string{"parameters.md", "guide/authors.md"} {
		blocks := block.FindAllStringSubmatch(read(t, name), -1)
		require.NotEmpty(t, blocks, name)
		var documents []definition.Document
		for _, b := range blocks {
			found, problems := definition.Decode(name, []byte(b[1]))
			require.Empty(t, problems, b[1])
			documents = append(documents, found...)
		}
		assert.NoError(t, definition.Check(documents, definition.Known{Zone: time.LoadLocation}).Err(), name)
	}
}
