// Package policy holds the rules of the project that a compiler does not.
package policy

import (
	"os/exec"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// policy says who may import whom: a package, then the packages of ours it may
// use. A new edge fails until it is added here, after talk.
const policy = `
core/diag
core/civil               core/diag
core/period              core/civil core/diag
core/recurrence          core/civil core/diag
core/almanac             core/civil core/diag
core/catalog             core/civil core/diag core/sqltext
core/record              core/catalog core/civil
core/criteria            core/catalog core/civil core/diag core/period
core/evaluate            core/catalog core/civil core/criteria core/period
core/phrase              core/catalog core/criteria core/diag core/period
core/proof               core/catalog core/civil core/criteria core/diag core/period
core/parameter           core/catalog core/civil core/criteria core/diag core/evaluate core/format core/period
core/sqltext             core/diag
core/format              core/catalog
core/definition          core/almanac core/catalog core/civil core/criteria core/diag core/evaluate core/format core/parameter core/period core/proof core/recurrence core/sqltext
core/begin               core/catalog core/civil core/criteria core/definition core/diag core/sqltext
core/plan                core/catalog core/civil core/criteria core/definition core/diag core/evaluate core/format core/parameter core/period core/proof core/record core/sqltext
core/dialect             core/catalog core/civil core/criteria core/definition core/diag core/plan

internal/engine          core/catalog core/criteria core/dialect core/plan
internal/engine/worker   core/catalog core/dialect internal/engine
internal/engine/sqlite   core/catalog core/civil core/dialect core/evaluate core/sqltext internal/engine internal/engine/worker
internal/engine/postgres core/catalog core/civil core/dialect core/sqltext internal/engine
internal/engine/mysql    core/catalog core/civil core/dialect core/sqltext internal/engine
internal/engine/files    core/catalog core/civil core/dialect core/period core/plan internal/engine internal/engine/worker
internal/paper
internal/chart           internal/paper
internal/output          core/catalog core/civil core/definition core/diag core/format core/plan core/record internal/chart internal/paper
internal/store           core/catalog core/parameter
internal/delivery        core/definition
internal/schedule        core/civil core/recurrence internal/delivery internal/store
internal/identity        core/diag core/parameter internal/store
internal/wire            core/* internal/output
internal/runner          core/* internal/engine internal/output internal/store internal/wire
internal/service         core/* internal/delivery internal/engine internal/identity internal/output internal/paper internal/runner internal/schedule internal/store internal/wire
internal/api/console
internal/api             core/* internal/api/console internal/engine internal/identity internal/output internal/runner internal/service internal/store internal/wire
internal/client          core/begin core/catalog core/definition core/diag core/parameter internal/engine internal/output internal/wire
internal/config          core/civil
internal/cli             core/* internal/client internal/config internal/output internal/wire
internal/demo/standin
internal/demo/mailbox
internal/demo            internal/delivery internal/demo/mailbox internal/demo/standin internal/identity internal/service internal/wire
cmd/pikegate             internal/*
`

// outside says what the heart may use beyond the standard library: a decimal
// type, and where documents are read and written a YAML library that knows
// every place and keeps comments.
var outside = map[string][]string{
	"core/almanac":    {"github.com/teambition/rrule-go"},
	"core/criteria":   {"github.com/shopspring/decimal"},
	"core/definition": {"github.com/shopspring/decimal", "go.yaml.in/yaml"},
	"core/dialect":    {"github.com/shopspring/decimal"},
	"core/evaluate":   {"github.com/shopspring/decimal"},
	"core/format":     {"github.com/go-playground/locales", "github.com/shopspring/decimal"},
	"core/parameter":  {"github.com/shopspring/decimal"},
	"core/phrase":     {"github.com/shopspring/decimal"},
	"core/proof":      {"github.com/shopspring/decimal"},
	"core/plan":       {"github.com/shopspring/decimal"},
	"core/record":     {"github.com/shopspring/decimal"},
}

// parsers are packages beneath barred ones that take texts apart and do nothing else.
var parsers = []string{"net/mail", "net/url"}

// barred is what the heart may never use: the world outside, and the clock.
var barred = []string{"os", "io", "net", "database", "log", "context", "embed", "syscall", "runtime"}

const module = "pikegate/"

func TestImports(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}} {{join .Imports " "}}`, "pikegate/core/...", "pikegate/internal/...", "pikegate/cmd/...").Output()
	require.NoError(t, err)
	allowed := map[string][]string{}
	for _, line := range strings.Split(strings.TrimSpace(policy), "\n") {
		if fields := strings.Fields(line); len(fields) > 0 {
			allowed[fields[0]] = fields[1:]
		}
	}
	for _, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
		fields := strings.Fields(line)
		name := strings.TrimPrefix(fields[0], module)
		may, known := allowed[name]
		if !known {
			t.Errorf("%s is not in the policy", name)
		}
		delete(allowed, name)
		for _, used := range fields[1:] {
			ours, isOurs := strings.CutPrefix(used, module)
			switch {
			case isOurs && !matches(may, ours):
				t.Errorf("%s may not import %s", name, ours)
			case !isOurs && strings.HasPrefix(name, "core/"):
				checkHeart(t, name, used)
			}
		}
	}
	for name := range allowed {
		t.Errorf("the policy names %s, which is not there", name)
	}
}

func matches(patterns []string, name string) bool {
	return slices.ContainsFunc(patterns, func(p string) bool {
		folder, all := strings.CutSuffix(p, "*")
		return p == name || all && strings.HasPrefix(name, folder)
	})
}

func checkHeart(t *testing.T, name, used string) {
	first, _, _ := strings.Cut(used, "/")
	if strings.Contains(first, ".") {
		if !slices.ContainsFunc(outside[name], func(p string) bool { return strings.HasPrefix(used, p) }) {
			t.Errorf("%s may not import %s", name, used)
		}
		return
	}
	if slices.Contains(barred, first) && !slices.Contains(parsers, used) {
		t.Errorf("%s, which is pure, may not import %s", name, used)
	}
}

// TestNoClockInTheHeart: the time is handed in.
func TestNoClockInTheHeart(t *testing.T) {
	out, _ := exec.Command("grep", "-rnE", `time\.(Now|Since|Until|After|Local|LoadLocation)\b`, "../../core", "--include=*.go", "--exclude=*_test.go").Output()
	require.Empty(t, string(out))
}
