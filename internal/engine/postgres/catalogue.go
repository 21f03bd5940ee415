package postgres

import (
	"context"
	"encoding/json"
	"fmt"
	"regexp"
	"strings"

	"github.com/jackc/pgx/v5/pgtype"

	"pikegate/core/catalog"
	"pikegate/internal/engine"
)

// tableNamed is the name of a table, after that of its schema where it is not the
// login's own.
func tableNamed(namespace, class string) string {
	return fmt.Sprintf("case when %[1]s.nspname is not distinct from current_schema() then %[2]s.relname else %[1]s.nspname || '.' || %[2]s.relname end", namespace, class)
}

// schemas are those the login may use, but for PostgreSQL's own.
const schemas = "n.nspname <> 'information_schema' and n.nspname not like 'pg\\_%' and has_schema_privilege(n.oid, 'usage')"

// Catalogue reads the tables, views and foreign tables of every schema the login
// may use, those of its own first.
func (s *source) Catalogue(ctx context.Context) (catalog.Source, error) {
	out := catalog.Source{Name: s.address.Name, Engine: Engine.Name, Traits: Engine.Traits}
	if err := s.learn(ctx); err != nil {
		return out, err
	}
	rows, err := engine.Rows(ctx, s, `
		select `+tableNamed("n", "c")+`, c.relkind in ('v', 'm'), a.attname, format_type(t.oid, null), not (a.attnotnull or t.typnotnull),
			coalesce(k.collname, '') not in ('', 'C', 'POSIX', 'ucs_basic')
				and not (k.collname = 'default' and (select datcollate in ('C', 'POSIX', 'C.UTF-8', 'C.utf8') from pg_database where datname = current_database())),
			case when n.nspname is not distinct from current_schema() then '' else n.nspname end,
			coalesce(k.collisdeterministic, true), coalesce(k.oid::text, '')
		from pg_class c
		join pg_namespace n on n.oid = c.relnamespace and `+schemas+`
		join pg_attribute a on a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped
		join pg_type d on d.oid = a.atttypid
		join pg_type t on t.oid = case d.typtype when 'd' then d.typbasetype else d.oid end
		left join pg_collation k on k.oid = a.attcollation
		where c.relkind in ('r', 'p', 'v', 'm', 'f') and not c.relispartition and has_table_privilege(c.oid, 'select')
		order by n.nspname is not distinct from current_schema() desc, 1, a.attnum`)
	if err != nil {
		return out, err
	}
	for _, row := range rows {
		table := row[0].(string)
		if n := len(out.Tables); n == 0 || out.Tables[n-1].Name != table {
			out.Tables = append(out.Tables, catalog.Table{Name: table, Schema: row[6].(string), View: row[1].(bool)})
		}
		c := catalog.Column{Name: row[2].(string), Nullable: row[4].(bool), Collated: row[5].(bool), Exact: row[7].(bool), Collation: row[8].(string)}
		typed(&c, row[3].(string))
		t := &out.Tables[len(out.Tables)-1]
		t.Columns = append(t.Columns, c)
	}
	if err := s.indexes(ctx, &out); err != nil {
		return out, err
	}
	if err := s.references(ctx, &out); err != nil {
		return out, err
	}
	if err := s.views(ctx, &out); err != nil {
		return out, err
	}
	return out, engine.ProposeDates(ctx, s, &out)
}

// views tells what they are made of: the rule of a view depends on it.
func (s *source) views(ctx context.Context, out *catalog.Source) error {
	rows, err := engine.Rows(ctx, s, `
		select distinct `+tableNamed("n", "c")+`, `+tableNamed("m", "o")+`, coalesce(a.attname, '')
		from pg_rewrite r
		join pg_class c on c.oid = r.ev_class and c.relkind in ('v', 'm')
		join pg_namespace n on n.oid = c.relnamespace and `+schemas+`
		join pg_depend d on d.classid = 'pg_rewrite'::regclass and d.objid = r.oid and d.refclassid = 'pg_class'::regclass
		join pg_class o on o.oid = d.refobjid and o.oid <> c.oid
		join pg_namespace m on m.oid = o.relnamespace
		left join pg_attribute a on a.attrelid = o.oid and a.attnum = d.refobjsubid and d.refobjsubid > 0
		order by 1, 2, 3`)
	for _, row := range rows {
		out.AddViewRead(row[0].(string), row[1].(string), row[2].(string))
	}
	out.SettleViews()
	return err
}

func (s *source) references(ctx context.Context, out *catalog.Source) error {
	rows, err := engine.Rows(ctx, s, `
		select `+tableNamed("n", "c")+`, f.conname, a.attname, `+tableNamed("m", "o")+`, b.attname
		from pg_constraint f
		join pg_class c on c.oid = f.conrelid
		join pg_namespace n on n.oid = c.relnamespace and `+schemas+`
		join pg_class o on o.oid = f.confrelid
		join pg_namespace m on m.oid = o.relnamespace
		cross join lateral unnest(f.conkey, f.confkey) with ordinality as k(own, other, place)
		join pg_attribute a on a.attrelid = c.oid and a.attnum = k.own
		join pg_attribute b on b.attrelid = o.oid and b.attnum = k.other
		where f.contype = 'f'
		order by 1, 2, k.place`)
	for _, row := range rows {
		out.AddReference(row[0].(string), row[1].(string), row[2].(string), row[3].(string), row[4].(string))
	}
	return err
}

func (s *source) indexes(ctx context.Context, out *catalog.Source) error {
	rows, err := engine.Rows(ctx, s, `
		select `+tableNamed("n", "c")+`, x.relname, i.indisunique, i.indisprimary, coalesce(a.attname, '')
		from pg_index i
		join pg_class c on c.oid = i.indrelid
		join pg_namespace n on n.oid = c.relnamespace and `+schemas+`
		join pg_class x on x.oid = i.indexrelid
		cross join lateral unnest(i.indkey::int2[]) with ordinality as k(attnum, place)
		left join pg_attribute a on a.attrelid = c.oid and a.attnum = k.attnum and k.attnum > 0
		where k.place <= i.indnkeyatts and i.indpred is null
		order by 1, 2, k.place`)
	if err != nil {
		return err
	}
	for _, row := range rows {
		table, column := row[0].(string), row[4].(string)
		if row[3].(bool) {
			out.AddKey(table, column)
		}
		out.AddIndex(table, row[1].(string), row[2].(bool), column)
	}
	return nil
}

// typeNames are the types a statement tells by number.
var typeNames = map[uint32]string{
	pgtype.Int2OID: "smallint", pgtype.Int4OID: "integer", pgtype.Int8OID: "bigint", pgtype.NumericOID: "numeric",
	pgtype.Float4OID: "real", pgtype.Float8OID: "double precision", pgtype.BoolOID: "boolean", pgtype.TextOID: "text",
	pgtype.VarcharOID: "character varying", pgtype.BPCharOID: "character", pgtype.NameOID: "name", pgtype.DateOID: "date",
	pgtype.TimestampOID: "timestamp without time zone", pgtype.TimestamptzOID: "timestamp with time zone",
}

// typed sets the type of a column by the name of its own.
func typed(c *catalog.Column, declared string) {
	c.Declared = declared
	switch declared {
	case "smallint", "integer", "bigint":
		c.Type = catalog.Integer
	case "numeric", "real", "double precision":
		c.Type = catalog.Decimal
	case "boolean":
		c.Type = catalog.Boolean
	case "text", "character varying", "character", "name":
		c.Type = catalog.Text
	case "date":
		c.Type, c.Encoding = catalog.Date, catalog.EncDate
	case "timestamp without time zone":
		c.Type, c.Encoding = catalog.DateTime, catalog.EncLocal
	case "timestamp with time zone":
		c.Type, c.Encoding = catalog.DateTime, catalog.EncInstant
	default:
		c.Type, c.Bytes = catalog.Other, declared == "bytea"
	}
	if c.Encoding != "" {
		c.Evidence, c.Stored = "declared "+declared, c.Type
	}
}

// node is one node of a plan; source: EXPLAIN (FORMAT JSON).
type node struct {
	Type      string `json:"Node Type"`
	Alias     string `json:"Alias"`
	Relation  string `json:"Relation Name"`
	Index     string `json:"Index Name"`
	IndexCond string `json:"Index Cond"`
	Filter    string `json:"Filter"`
	Rows      int64  `json:"Plan Rows"`
	Remote    string `json:"Remote SQL"`
	Plans     []node `json:"Plans"`
}

func readPlan(text string, plan *engine.Plan) error {
	var whole []struct{ Plan node }
	if err := json.Unmarshal([]byte(text), &whole); err != nil {
		return err
	}
	for _, w := range whole {
		walkPlan(w.Plan, node{}, 0, plan)
	}
	return nil
}

var word = regexp.MustCompile(`[A-Za-z_][A-Za-z0-9_]*|"[^"]+"`)

func walkPlan(n, parent node, depth int, plan *engine.Plan) {
	line := strings.Repeat("  ", depth) + n.Type
	if n.Relation != "" {
		line += " on " + n.Relation
	}
	if n.Index != "" {
		line += " using " + n.Index
	}
	if n.IndexCond != "" {
		line += " (" + n.IndexCond + ")"
	}
	plan.Text = append(plan.Text, fmt.Sprintf("%s, about %d rows", line, n.Rows))
	if n.Remote != "" {
		plan.Text = append(plan.Text, strings.Repeat("  ", depth+1)+"remote: "+n.Remote)
	}
	alias := n.Alias
	if alias == "" { // the index of a bitmap scan stands under its table
		alias = parent.Alias
	}
	if alias != "" && (n.Relation != "" || n.Index != "") {
		access := plan.Access[alias]
		if n.Index != "" {
			access.Index = n.Index
			for _, w := range word.FindAllString(n.IndexCond, -1) {
				access.Columns = append(access.Columns, strings.Trim(w, `"`))
			}
		}
		plan.Access[alias] = access
	}
	for _, child := range n.Plans {
		walkPlan(child, n, depth+1, plan)
	}
}
