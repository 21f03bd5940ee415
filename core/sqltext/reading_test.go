package sqltext_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"pikegate/core/sqltext"
)

// TestReading: every name, every table, what stands for all columns, and what cannot be
// followed.
func TestReading(t *testing.T) {
	for text, want := range map[string]sqltext.Reading{
		"select p.id, count(*) as n from passages p join \"Locks\" as l on l.id = p.lock_id group by 1": {
			Names: []string{"p", "id", "n", "passages", "locks", "l", "lock_id", "count"}, Tables: []sqltext.TableName{{"passages", "p", "p"}, {"locks", "l", "l"}},
		},
		"select P.id from Passages P, Locks":    {Names: []string{"p", "id", "passages", "locks"}, Tables: []sqltext.TableName{{"passages", "p", "p"}, {"locks", "locks", "locks"}}},
		"select a.*, b.x * 2 from t1 a, s.t2 b": {Names: []string{"a", "b", "x", "t1", "s", "t2"}, Tables: []sqltext.TableName{{"t1", "a", "a"}, {"s.t2", "b", "b"}}, Whole: []string{"a"}},
		"select * from (select id from t) as x": {Names: []string{"id", "t", "x"}, Tables: []sqltext.TableName{{"t", "t", "t"}}, All: true},
		"select to_json(p), q::text from passages p, passages q": {
			Names: []string{"to_json", "p", "q", "text", "passages"}, Tables: []sqltext.TableName{{"passages", "p", "p"}, {"passages", "q", "q"}}, Whole: []string{"p", "q"},
		},
		"select query_to_xml('select 1', true, true, ''), \"lower\"(x) from t": {
			Names: []string{"query_to_xml", "lower", "x", "t"}, Tables: []sqltext.TableName{{"t", "t", "t"}}, Unknown: []string{"the function query_to_xml", "the function lower"},
		},
		"with c (a, b) as (select id, x from t), d (e) as not materialized (select 1) select a, f (b) from c, d": {
			Names: []string{"c", "a", "b", "id", "x", "t", "d", "e", "materialized", "f"}, Tables: []sqltext.TableName{{"t", "t", "t"}, {"c", "c", "c"}, {"d", "d", "d"}}, Whole: []string{"c", "d"}, Unknown: []string{"the function f"},
		},
		`select U&"\0070assages" from t`:                     {Names: []string{"u", `\0070assages`, "t"}, Tables: []sqltext.TableName{{"t", "t", "t"}}, Unknown: []string{"a name in escapes"}},
		"select x from t natural join u":                     {Names: []string{"x", "t", "u"}, Tables: []sqltext.TableName{{"t", "t", "t"}, {"u", "u", "u"}}, All: true},
		"select cast(x as varchar(10)) from t -- from u":     {Names: []string{"x", "varchar", "t"}, Tables: []sqltext.TableName{{"t", "t", "t"}}},
		"select 'from u', 1 from t where { d within :p }":    {Names: []string{"t"}, Tables: []sqltext.TableName{{"t", "t", "t"}}},
		"select t.select, t.\"from\" from t where a = :from": {Names: []string{"t", "select", "from", "a"}, Tables: []sqltext.TableName{{"t", "t", "t"}}},
	} {
		got := sqltext.ReadingOf(text, flavours["postgresql"])
		assert.ElementsMatch(t, want.Names, got.Names, text)
		want.Names, got.Names = nil, nil
		assert.Equal(t, want, got, text)
	}
	got := sqltext.ReadingOf("select P.id from Passages P join `Old locks` as L on 1 = 1", flavours["mysql"])
	assert.Equal(t, []sqltext.TableName{{"passages", "p", "P"}, {"old locks", "l", "L"}}, got.Tables)
}
