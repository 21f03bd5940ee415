package mysql

import (
	"context"
	"database/sql/driver"
	"fmt"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/dialect"
	"pikegate/internal/engine"
)

// Describe asks for the columns without a record.
func (s *source) Describe(ctx context.Context, q dialect.Query) (engine.Description, error) {
	var columns []catalog.Column
	err := s.with(ctx, false, func(conn driver.Conn, _ *buffered) error {
		statement, err := conn.Prepare("select * from (\n" + q.SQL + "\n) as described limit 0")
		if err != nil {
			return err
		}
		defer statement.Close()
		rows, err := statement.(driver.StmtQueryContext).QueryContext(context.WithoutCancel(ctx), named(make([]any, statement.NumInput()))) // see with
		if err != nil {
			return err
		}
		defer rows.Close()
		for i, name := range rows.Columns() {
			c := catalog.Column{Name: name, Nullable: true}
			typed(&c, strings.ToLower(rows.(driver.RowsColumnTypeDatabaseTypeName).ColumnTypeDatabaseTypeName(i)), "")
			columns = append(columns, c)
		}
		return nil
	})
	return engine.Description{Columns: columns}, engine.Complain(err, q.SQL, 0)
}

// tableNamed is the name of a table, after that of its database where it is not
// the one that is connected to.
func tableNamed(schema, table string) string {
	return fmt.Sprintf("case when %[1]s = database() then %[2]s else concat(%[1]s, '.', %[2]s) end", schema, table)
}

// others are the databases that are MySQL's own.
const others = "('mysql', 'information_schema', 'performance_schema', 'sys')"

// Catalogue reads the tables and views of the database, and after them those of
// others that the login may read.
func (s *source) Catalogue(ctx context.Context) (catalog.Source, error) {
	out := catalog.Source{Name: s.address.Name, Engine: Engine.Name, Traits: Engine.Traits}
	rows, err := engine.Rows(ctx, s, `
		select `+tableNamed("c.table_schema", "c.table_name")+`, t.table_type, c.column_name, c.data_type, c.column_type, c.is_nullable, c.collation_name,
			case when c.table_schema = database() then '' else c.table_schema end
		from information_schema.columns c join information_schema.tables t on t.table_schema = c.table_schema and t.table_name = c.table_name
		where c.table_schema not in `+others+` order by c.table_schema <> database(), 1, c.ordinal_position`)
	if err != nil {
		return out, err
	}
	for _, row := range rows {
		text := func(i int) string {
			if row[i] == nil {
				return ""
			}
			return fmt.Sprint(row[i])
		}
		if n := len(out.Tables); n == 0 || out.Tables[n-1].Name != text(0) {
			out.Tables = append(out.Tables, catalog.Table{Name: text(0), Schema: text(7), View: text(1) == "VIEW"})
		}
		c := catalog.Column{Name: text(2), Nullable: text(5) == "YES"}
		c.Collated = text(6) != "" && text(6) != "utf8mb4_nopad_bin" && text(6) != "utf8mb4_0900_bin"
		c.Collation = text(6)
		if c.Charset, _, _ = strings.Cut(text(6), "_"); c.Charset == "utf8mb4" {
			c.Charset = ""
		}
		typed(&c, text(3), text(4))
		t := &out.Tables[len(out.Tables)-1]
		t.Columns = append(t.Columns, c)
	}
	indexes, err := engine.Rows(ctx, s, `select `+tableNamed("table_schema", "table_name")+`, index_name, non_unique, coalesce(column_name, '')
		from information_schema.statistics where table_schema not in `+others+` order by table_schema, table_name, index_name, seq_in_index`)
	if err != nil {
		return out, err
	}
	for _, row := range indexes {
		table, name, column := fmt.Sprint(row[0]), fmt.Sprint(row[1]), fmt.Sprint(row[3])
		if name == "PRIMARY" {
			out.AddKey(table, column)
		}
		out.AddIndex(table, name, fmt.Sprint(row[2]) == "0", column)
	}
	references, err := engine.Rows(ctx, s, `select `+tableNamed("table_schema", "table_name")+`, constraint_name, column_name, `+tableNamed("referenced_table_schema", "referenced_table_name")+`, referenced_column_name
		from information_schema.key_column_usage where table_schema not in `+others+` and referenced_table_schema is not null
		order by table_schema, table_name, constraint_name, ordinal_position`)
	if err != nil {
		return out, err
	}
	for _, row := range references {
		out.AddReference(fmt.Sprint(row[0]), fmt.Sprint(row[1]), fmt.Sprint(row[2]), fmt.Sprint(row[3]), fmt.Sprint(row[4]))
	}
	views, err := engine.Rows(ctx, s, `select `+tableNamed("table_schema", "table_name")+`, coalesce(view_definition, '') from information_schema.views where table_schema not in `+others)
	if err != nil {
		return out, err
	}
	for _, row := range views {
		out.AddView(fmt.Sprint(row[0]), fmt.Sprint(row[1]))
	}
	out.SettleViews()
	return out, engine.ProposeDates(ctx, s, &out)
}

// typed sets the type of a column by the name of its own.
func typed(c *catalog.Column, kind, declared string) {
	c.Declared = declared
	if declared == "" {
		c.Declared = kind
	}
	kind = strings.TrimPrefix(kind, "unsigned ")
	switch kind {
	case "tinyint", "smallint", "mediumint", "int", "bigint":
		c.Type = catalog.Integer
		if declared == "tinyint(1)" {
			c.Type = catalog.Boolean
		}
	case "decimal", "float", "double":
		c.Type = catalog.Decimal
	case "char", "varchar", "tinytext", "text", "mediumtext", "longtext":
		c.Type = catalog.Text
	case "enum":
		c.Type, c.Collated = catalog.Text, true // by itself it is ordered by its numbers
	case "date":
		c.Type, c.Encoding = catalog.Date, catalog.EncDate
	case "datetime":
		c.Type, c.Encoding = catalog.DateTime, catalog.EncLocal
	case "timestamp":
		c.Type, c.Encoding = catalog.DateTime, catalog.EncInstant
	default:
		c.Type, c.Bytes = catalog.Other, strings.HasSuffix(kind, "blob") || strings.HasSuffix(kind, "binary")
	}
	if c.Encoding != "" {
		c.Evidence, c.Stored = "declared "+kind, c.Type
	}
}
