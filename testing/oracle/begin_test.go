package oracle_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/begin"
	"pikegate/core/definition"
	"pikegate/core/dialect"
	"pikegate/core/parameter"
)

// brought are statements that people bring.
var brought = []string{
	"select id, direction from passages where toll_pence > 700 and direction = 'upstream' order by id",
	"select d.id, v.name from dues_invoices d join vessels v on v.id = d.vessel_id where d.issued_on >= '2024-06-01' and d.issued_on < '2025-09-01' and (v.name <> 'Teal' or d.amount_pence <= 2500) order by d.id",
	"select id from dues_invoices where issued_on between '2024-06-01' and '2025-08-31' and not vessel_id in (18, 27) order by id desc",
	"select vessel_id as id, count(*) as n from dues_invoices where paid_on >= '2025-01-01' and amount_pence != 5 group by vessel_id order by id",
	"select id from locks where id in (select lock_id from passages where direction = 'downstream') and name like '%e%' order by id",
	"select id from passages where passed_at >= '2024-06-01' and passed_at < '2025-09-01' order by id",
}

// TestBegunWithSQL: the query made of a statement returns what the statement returns, on
// every engine, as long as the questions have the answers that stood in it.
func TestBegunWithSQL(t *testing.T) {
	benches, _ := navigations(t)
	for _, b := range benches {
		for _, sql := range brought {
			made, problems := begin.SQL(begin.Wanted{Source: &b.catalog}, sql)
			require.Empty(t, problems, sql)
			require.NotEmpty(t, made.Questions, sql)
			documents, problems := definition.Decode("", []byte(made.Content))
			require.Empty(t, problems, made.Content)
			text, err := definition.Format("", []byte(made.Content))
			require.Empty(t, err)
			assert.Equal(t, made.Content, string(text), "it is written canonically")
			query := documents[0].(*definition.Query)
			compiled, problems := definition.Compile(query, &b.catalog, definition.Library{Result: describing(t, b)})
			for _, p := range problems {
				require.Equal(t, "warning", string(p.Severity), "%s\n%s: %v", b.engine, made.Content, p)
			}
			values, problems := parameter.Read(compiled.Questions, compiled.Rules, nil, parameter.Context{Calendar: b.ctx})
			require.Empty(t, problems, made.Content)
			statement, problems := b.planner(compiled, b.ctx).Records(definition.View{}, values)
			require.NoError(t, problems.Err(), made.Content)
			var want [][]any
			require.NoError(t, b.source.Stream(t.Context(), dialect.Query{SQL: sql}, func(row []any) error {
				want = append(want, append([]any{}, row...))
				return nil
			}), "%s\n%s", b.engine, sql)
			require.NotEmpty(t, want, sql)
			var got [][]any
			q := b.source.Dialect().Write(statement.Statement)
			require.NoError(t, b.source.Stream(t.Context(), q, func(row []any) error {
				got = append(got, append([]any{}, row...))
				return nil
			}), "%s\n%s", b.engine, q.SQL)
			assert.Equal(t, want, got, "%s\n%s\n%s", b.engine, sql, made.Content)
		}
	}
}
