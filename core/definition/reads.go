package definition

import (
	"pikegate/core/catalog"
	"pikegate/core/sqltext"
)

// TablesIn are the tables that hand-written SQL names, by the names that it gives them.
// Where one name is given to several tables, it is left out.
func TablesIn(sql string, source *catalog.Source) map[string]string {
	tables, several := map[string]string{}, map[string]bool{} // by the names as the engine has them
	for _, n := range sqltext.ReadingOf(sql, source.Traits.SQL).Tables {
		t, ok := source.Table(n.Name)
		if !ok {
			continue
		}
		several[n.As] = several[n.As] || tables[n.As] != "" && tables[n.As] != t.Name
		tables[n.As] = t.Name
	}
	for alias, yes := range several {
		if yes {
			delete(tables, alias)
		}
	}
	return tables
}
