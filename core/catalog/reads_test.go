package catalog_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"pikegate/core/catalog"
	"pikegate/core/sqltext"
)

// TestSQLGrows: a megabyte of hand-written SQL is taken apart, and what it reads is
// told, in a time that grows with its length; what grows with its square takes minutes.
func TestSQLGrows(t *testing.T) {
	source := catalog.Source{Tables: []catalog.Table{{Name: "t", Columns: []catalog.Column{{Name: "n"}, {Name: "a"}}}}}
	repeated := func(part string) string { return "select " + strings.Repeat(part, 1<<20/len(part)) }
	numbered := func(format string) string {
		var b strings.Builder
		b.WriteString("select ")
		for i := 0; b.Len() < 1<<20; i++ {
			fmt.Fprintf(&b, format, i)
		}
		return b.String()
	}
	for name, text := range map[string]string{
		"parentheses": repeated("("), "calls": repeated("f("), "names": numbered("n%d, "), "functions": numbered("f%d(1), "), "tables": "select 1 from " + numbered("t%d a, "),
		"aliases": numbered("from t as a%d, a0 "), "braces": repeated("{ n = 1 } and "), "open braces": repeated("{ "), "values": repeated(":n, "), "quotes": repeated("'a' "), "quoted names": numbered("\"n%d\" "),
		"comments": repeated("-- a\n"), "nested comments": repeated("/* "), "stars": repeated("*, "), "dots": repeated("a."), "tables of with": "with " + numbered("c%d (a) as (select 1), "),
	} {
		t.Run(name, func(t *testing.T) {
			done := make(chan struct{})
			go func() {
				defer close(done)
				_, _ = sqltext.Split(text, source.Traits.SQL)
				source.ReadsOf(text)
			}()
			select {
			case <-done:
			case <-time.After(20 * time.Second):
				t.Fatal("it takes far longer than its length")
			}
		})
	}
}

// TestFilesRead: of a folder of files, a statement that may name one by its path may read all.
func TestFilesRead(t *testing.T) {
	tolls := []catalog.Table{{Name: "tolls", Columns: []catalog.Column{{Name: "toll"}}}}
	files := catalog.Source{Tables: tolls, Traits: catalog.Traits{Scanned: true}}
	for sql, unknown := range map[string]bool{
		"select toll / 100 from tolls":                    false,
		"select toll from tolls where toll = 1.5":         false,
		"select * from '/srv/exports/tolls.csv'":          true,
		"select * from \"/srv/exports/tolls.csv\"":        true,
		"select * from E'\\x2fsrv\\x2fexports\\x2ft.csv'": true,
		"pivot 'srv/exports/tolls.csv' on toll":           true,
		"select * from read_csv('tolls')":                 true,
	} {
		assert.Equal(t, unknown, len(files.ReadsOf(sql).Unknown) > 0, sql)
	}
	database := catalog.Source{Tables: tolls}
	assert.Empty(t, database.ReadsOf("select toll/100 from tolls").Unknown)
}
