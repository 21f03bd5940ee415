package definition

import (
	"pikegate/core/catalog"
	"pikegate/core/sqltext"
)

// tablesIn are the tables that hand-written SQL names, by the names that it gives them.
// Where one name is given to several tables, it is left out.
func tablesIn(sql string, source *catalog.Source) map[string]string {
	tables, several := map[string]string{}, map[string]bool{}
	for _, n := range sqltext.ReadingOf(sql, source.Traits.SQL).Tables {
		t, ok := source.Table(n.Name)
		if !ok {
			continue
		}
		several[n.Alias] = several[n.Alias] || tables[n.Alias] != "" && tables[n.Alias] != t.Name
		tables[n.Alias] = t.Name
	}
	for alias, yes := range several {
		if yes {
			delete(tables, alias)
		}
	}
	return tables
}
