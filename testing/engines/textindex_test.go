package engines

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/parameter"
	"pikegate/core/plan"
)

// TestTextIndexServes: an index on a text leads to those that are asked for, though texts are
// compared by code point, whatever the collation of the column is; and what the column takes
// for equal without being it is not found.
func TestTextIndexServes(t *testing.T) {
	t.Parallel()
	for kind, k := range kinds {
		t.Run(kind, func(t *testing.T) {
			server, db := k.start(t)
			fill := map[string]string{
				"postgresql": "insert into boats select i, 'Boat ' || i from generate_series(1, 20000) as n(i)",
				"mysql":      "insert into boats select seq, concat('Boat ', seq) from seq_1_to_20000",
			}[kind]
			for _, statement := range []string{"create table boats (id int primary key, name varchar(40) not null)", fill, "insert into boats values (30000, 'boat 77'), (30001, 'Boat 77 ')", "create index boats_name on boats (name)", map[string]string{"postgresql": "analyze boats", "mysql": "analyze table boats"}[kind]} {
				_, err := db.Exec(statement)
				require.NoError(t, err, statement)
			}
			s := source(t, kind, address(server))
			tables, err := s.Catalogue(t.Context())
			require.NoError(t, err)
			for _, criteria := range []string{"name = :word", "name in :many", "name = 'Boat 77'"} {
				c := compiled(t, "kind: query\nname: q\nsource: s\nfrom: boats\nparameters: [{name: word, kind: text}, {name: many, kind: text, many: true}]\ncolumns: [id, name]\nsort: [id]\ncriteria: "+criteria+"\n", &tables)
				require.Equal(t, [][]any{{int64(77), "Boat 77"}}, found(t, s, c, "Boat 77"), criteria)
				values := parameter.Values{"word": {Given: true, Texts: []string{"Boat 77"}}, "many": {Given: true, Texts: []string{"Boat 77", "Boat 78"}}}
				statement, problems := plan.Planner{Query: c, Calendar: civil.Calendar{Zone: civil.UTC}}.Records(definition.View{}, values)
				require.Empty(t, problems)
				shown, err := s.Plan(t.Context(), s.Dialect().Write(statement.Statement))
				require.NoError(t, err)
				assert.Equal(t, "boats_name", shown.Access["boats"].Index, "%s\n%s", criteria, fmt.Sprint(shown.Text))
			}
		})
	}
}
