package sqlite

import (
	"context"
	"fmt"
	"regexp"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/dialect"
)

// sample is how many values from each end of a table the proposals of date
// encodings look at.
const sample = 200

// longest is how many bytes a value has at the most that is looked at.
const longest = 1000

// Catalogue reads tables, views and columns, and proposes how dates are stored
// from the values at both ends of each table.
func (s *source) Catalogue(ctx context.Context) (catalog.Source, error) {
	out := catalog.Source{Name: s.name, Engine: Engine.Name, Traits: Engine.Traits}
	keyOrder := map[string]map[int]string{}
	err := s.Stream(ctx, dialect.Query{SQL: `
		select t.name, t.type = 'view', t.wr, c.name, c.type, c."notnull", c.pk
		from pragma_table_list as t, pragma_table_xinfo(t.name) as c
		where t.schema = 'main' and t.type in ('table', 'view') and t.name not like 'sqlite\_%' escape '\' and c.hidden <> 1
		order by t.name, c.cid`}, func(row []any) error {
		text := func(i int) string { s, _ := row[i].(string); return s }
		number := func(i int) int { n, _ := row[i].(int64); return int(n) }
		table, column, declared := text(0), text(3), text(4)
		if n := len(out.Tables); n == 0 || out.Tables[n-1].Name != table {
			out.Tables = append(out.Tables, catalog.Table{Name: table, View: number(1) != 0})
			keyOrder[table] = map[int]string{}
		}
		t, key := &out.Tables[len(out.Tables)-1], number(6)
		if key > 0 {
			keyOrder[table][key] = column
		}
		integerKey := key == 1 && strings.EqualFold(declared, "integer")
		t.Columns = append(t.Columns, catalog.Column{
			Name: column, Declared: strings.ToLower(declared),
			Nullable: number(5) == 0 && !integerKey && !(key > 0 && number(2) != 0),
		})
		return nil
	})
	if err != nil {
		return out, err
	}
	if err := s.indexes(ctx, &out); err != nil {
		return out, err
	}
	if err := s.references(ctx, &out); err != nil {
		return out, err
	}
	if err := s.collations(ctx, &out); err != nil {
		return out, err
	}
	if err := s.views(ctx, &out); err != nil {
		return out, err
	}
	for i := range out.Tables {
		t := &out.Tables[i]
		for n := 1; n <= len(keyOrder[t.Name]); n++ {
			t.Key = append(t.Key, keyOrder[t.Name][n])
		}
		if err := s.describe(ctx, t); err != nil {
			return out, err
		}
	}
	return out, nil
}

// views tells what they are made of by their text.
func (s *source) views(ctx context.Context, out *catalog.Source) error {
	err := s.Stream(ctx, dialect.Query{SQL: "select name, sql from sqlite_schema where type = 'view'"}, func(row []any) error {
		name, _ := row[0].(string)
		text, _ := row[1].(string)
		out.AddView(name, text)
		return nil
	})
	out.SettleViews()
	return err
}

// otherwise is a collation that does not compare by code point. SQLite does not
// tell those of columns, so the text of the table is looked at.
var otherwise = regexp.MustCompile(`(?i)\bcollate\s+["'\[]?(nocase|rtrim)\b`)

// collations marks the texts of tables that name such a collation: comparing
// one of them by code point once too often does no harm.
func (s *source) collations(ctx context.Context, out *catalog.Source) error {
	return s.Stream(ctx, dialect.Query{SQL: "select name, sql from sqlite_schema where sql is not null and type in ('table', 'view')"}, func(row []any) error {
		text, _ := row[1].(string)
		for i := range out.Tables {
			t := &out.Tables[i]
			if t.Name != row[0] || !otherwise.MatchString(text) {
				continue
			}
			for j := range t.Columns {
				t.Columns[j].Collated = true
			}
		}
		return nil
	})
}

// indexes reads the indexes of the tables.
func (s *source) indexes(ctx context.Context, out *catalog.Source) error {
	q := dialect.Query{SQL: `
		select t.name, i.name, i."unique", coalesce(c.name, '')
		from pragma_table_list as t, pragma_index_list(t.name) as i, pragma_index_xinfo(i.name) as c
		where t.schema = 'main' and t.type = 'table' and c."key" = 1
		order by t.name, i.seq, c.seqno`}
	return s.Stream(ctx, q, func(row []any) error {
		text := func(i int) string { return fmt.Sprint(row[i]) }
		out.AddIndex(text(0), text(1), text(2) == "1", text(3))
		return nil
	})
}

// references reads the foreign keys; one that names no columns means the key.
func (s *source) references(ctx context.Context, out *catalog.Source) error {
	q := dialect.Query{SQL: `
		select t.name, f.id, f."from", f."table", coalesce(f."to", (select c.name from pragma_table_xinfo(f."table") as c where c.pk = f.seq + 1), '')
		from pragma_table_list as t, pragma_foreign_key_list(t.name) as f
		where t.schema = 'main' and t.type = 'table'
		order by t.name, f.id desc, f.seq`}
	return s.Stream(ctx, q, func(row []any) error {
		text := func(i int) string { return fmt.Sprint(row[i]) }
		out.AddReference(text(0), text(1), text(2), text(3), text(4))
		return nil
	})
}

// describe sets the types of a table's columns.
func (s *source) describe(ctx context.Context, t *catalog.Table) error {
	values, err := s.sample(ctx, *t)
	if err != nil {
		return err
	}
	for i, c := range t.Columns {
		isKey := t.IsKey(c.Name)
		c.Type = typeOf(c.Declared, values[i])
		c.Bytes = c.Type == catalog.Other && !isKey
		if len(values[i]) > 0 {
			c.Example = fmt.Sprint(values[i][0])
		}
		if proposed, ok := catalog.Propose(c, values[i]); ok && !isKey && c.Type != catalog.Boolean {
			c = proposed
		} else if c.Type.IsDate() {
			c = withoutEvidence(c, values[i])
		}
		t.Columns[i] = c
	}
	return nil
}

// withoutEvidence takes the declared word for a date column that is empty, and
// for text one that holds something else.
func withoutEvidence(c catalog.Column, values []any) catalog.Column {
	if len(values) > 0 {
		c.Type = catalog.Text
		return c
	}
	c.Encoding, c.Stored, c.Evidence = catalog.EncISOLocal, catalog.Text, "declared "+c.Declared+", no values yet"
	if c.Type == catalog.Date {
		c.Encoding = catalog.EncISODate
	}
	return c
}

// sample reads values of every column from both ends of the table, blanks
// left out.
func (s *source) sample(ctx context.Context, t catalog.Table) ([][]any, error) {
	values := make([][]any, len(t.Columns))
	names := make([]string, len(t.Columns))
	for i, c := range t.Columns {
		name := quote(c.Name) // not as a column: the driver would make a value of its own of it
		names[i] = fmt.Sprintf("iif(octet_length(%s) > %d, null, %s)", name, longest, name)
	}
	text := fmt.Sprintf("select %s from %s", strings.Join(names, ", "), quote(t.Name))
	queries := []string{fmt.Sprintf("%s limit %d", text, sample)}
	if !t.View && len(t.Key) > 0 {
		queries = append(queries, fmt.Sprintf("%s order by %s desc limit %d", text, quote(t.Key[0]), sample))
	}
	for _, q := range queries {
		err := s.Stream(ctx, dialect.Query{SQL: q}, func(row []any) error {
			for i, v := range row {
				if v != nil {
					values[i] = append(values[i], v)
				}
			}
			return nil
		})
		if err != nil {
			return nil, err
		}
	}
	return values, nil
}

// typeOf follows SQLite's rules of affinity, with words for dates and yes-no
// added; a column without a declared type is judged by its values.
func typeOf(declared string, values []any) catalog.Type {
	has := func(words ...string) bool {
		for _, w := range words {
			if strings.Contains(declared, w) {
				return true
			}
		}
		return false
	}
	switch {
	case has("bool"):
		return catalog.Boolean
	case has("datetime", "timestamp"):
		return catalog.DateTime
	case has("date"):
		return catalog.Date
	case has("int"):
		return catalog.Integer
	case has("char", "clob", "text"):
		return catalog.Text
	case has("real", "floa", "doub", "num", "dec"):
		return catalog.Decimal
	case declared == "" && len(values) > 0:
		switch values[0].(type) {
		case int64:
			return catalog.Integer
		case float64:
			return catalog.Decimal
		case string:
			return catalog.Text
		}
	}
	return catalog.Other
}

func quote(name string) string { return `"` + strings.ReplaceAll(name, `"`, `""`) + `"` }
