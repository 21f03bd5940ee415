package export

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/dialect"
	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/internal/demo"
	"pikegate/internal/engine"
)

const passages = `
kind: query
name: q
source: navigation
from: passages
joins:
  - { table: locks, on: passages.lock_id = locks.id }
parameters:
  - { name: period, kind: period, required: true }
  - { name: lock, kind: text }
columns: [passed_at, locks.name, toll_pence]
criteria: passed_at within :period and locks.name = :lock
sort: [passed_at]
`

// edgeStatement is the search around a month of passages at one lock.
func edgeStatement(b *testing.B, source engine.Source) dialect.Query {
	b.Helper()
	tables, err := source.Catalogue(b.Context())
	require.NoError(b, err)
	documents, problems := definition.Decode("", []byte(passages))
	require.Empty(b, problems)
	compiled, problems := definition.Compile(documents[0].(*definition.Query), &tables, definition.Library{})
	require.NoError(b, problems.Err())
	zone, err := time.LoadLocation(demo.Zone)
	require.NoError(b, err)
	ctx := civil.Calendar{Zone: zone}
	values, problems := parameter.Read(compiled.Questions, nil, parameter.Inputs{
		"period": {Texts: []string{"2025-03"}}, "lock": {Texts: []string{"Harrow Top"}},
	}, parameter.Context{Calendar: ctx})
	require.NoError(b, problems.Err())
	statement, problems := plan.Planner{Query: compiled, Calendar: ctx}.Records(definition.View{}, values)
	require.NoError(b, problems.Err())
	edges, ok := plan.Planner{Query: compiled, Calendar: ctx}.Edges(statement.Statement)
	require.True(b, ok)
	return source.Dialect().WriteTogether([]plan.Statement{*edges.Before, *edges.After})
}
