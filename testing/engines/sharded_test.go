package engines

import (
	"database/sql"
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/parameter"
	"pikegate/core/period"
	"pikegate/core/plan"
	"pikegate/internal/engine"
	"pikegate/testing/servers"
)

const monthly = `
kind: query
name: q
source: s
from: passages
parameters: [{name: period, kind: period, required: true}]
columns: [id, passed_at, lock]
criteria: passed_at within :period and lock starts with 'H'
sort: [passed_at]
`

// month is a passage for each hour of three months of 2025, an H among them
// for every third.
func month(t *testing.T, insert func(month, id int, at time.Time, lock string)) {
	t.Helper()
	id := 0
	for at := time.Date(2025, 1, 1, 0, 0, 0, 0, time.UTC); at.Month() < 4; at = at.Add(time.Hour) {
		id++
		lock := "Mossgill"
		if id%3 == 0 {
			lock = "Harrow Top"
		}
		insert(int(at.Month()), id, at, lock)
	}
}

// asked runs the query over a period and gives how many rows came.
func asked(t *testing.T, s engine.Source, tables *catalog.Source, words string) (int, []string, error) {
	t.Helper()
	c := compiled(t, monthly, tables)
	ctx := civil.Calendar{Zone: civil.UTC, WeekStart: time.Monday}
	span, problems := period.Read(words, ctx)
	require.Empty(t, problems)
	statement, problems := plan.Planner{Query: c, Calendar: ctx}.Records(definition.View{}, parameter.Values{"period": {Given: true, Span: span}})
	require.Empty(t, problems)
	q := s.Dialect().Write(statement.Statement)
	p, planErr := s.Plan(t.Context(), q)
	rows, err := query(s, q.SQL, q.Args...)
	if err == nil {
		require.NoError(t, planErr)
	}
	return len(rows), p.Text, err
}

// touched tells which of the logs have a reading of passages in what was
// written since the marks.
func touched(t *testing.T, shards []*servers.Server, marks []int64, log func(*servers.Server) string) (which []int, text string) {
	t.Helper()
	for i, s := range shards {
		content, err := os.ReadFile(log(s))
		require.NoError(t, err)
		recent := string(content[marks[i]:])
		if strings.Contains(recent, "passages") && strings.Contains(strings.ToLower(recent), "select") {
			which, text = append(which, i+1), text+recent
		}
	}
	return which, text
}

func sizes(t *testing.T, shards []*servers.Server, log func(*servers.Server) string) []int64 {
	t.Helper()
	var marks []int64
	for _, s := range shards {
		info, err := os.Stat(log(s))
		require.NoError(t, err)
		marks = append(marks, info.Size())
	}
	return marks
}

func execute(t *testing.T, db *sql.DB, text string, args ...any) {
	t.Helper()
	_, err := db.Exec(text, args...)
	require.NoError(t, err, text)
}

// TestShardedPostgres: a coordinator with a foreign partition a month on three
// servers. A range touches the shards it needs only, which filter and sort
// themselves; a shard that is down matters to nobody else.
func TestShardedPostgres(t *testing.T) {
	t.Parallel()
	coordinator, db := servers.Postgres(t)
	execute(t, db, "create extension postgres_fdw; create table passages (id bigint, passed_at timestamptz not null, lock text) partition by range (passed_at)")
	var shards []*servers.Server
	var stores []*sql.DB
	for m := 1; m <= 3; m++ {
		shard, store := servers.Postgres(t, "log_statement=all", "log_min_duration_statement=0")
		execute(t, store, "create table passages (id bigint, passed_at timestamptz not null, lock text); create index on passages (passed_at)")
		host, port, _ := strings.Cut(shard.Address, ":")
		execute(t, db, fmt.Sprintf("create server shard%d foreign data wrapper postgres_fdw options (host '%s', port '%s', dbname '%s', use_remote_estimate 'true')", m, host, port, servers.Database))
		for _, who := range []string{"postgres", servers.Reader} {
			password := map[string]string{"postgres": "", servers.Reader: servers.Password}[who]
			execute(t, db, fmt.Sprintf("create user mapping for %s server shard%d options (user '%s', password '%s')", who, m, who, password))
		}
		execute(t, db, fmt.Sprintf("create foreign table passages_%d partition of passages for values from ('2025-%02d-01 00:00+00') to ('2025-%02d-01 00:00+00') server shard%d options (table_name 'passages')", m, m, m+1, m))
		shards, stores = append(shards, shard), append(stores, store)
	}
	month(t, func(m, id int, at time.Time, lock string) {
		execute(t, stores[m-1], "insert into passages values ($1, $2, $3)", id, at, lock)
	})
	s := source(t, "postgresql", address(coordinator))
	tables, err := s.Catalogue(t.Context())
	require.NoError(t, err)
	require.Equal(t, []string{"passages"}, tables.TableNames(), "partitions are not tables of their own")
	log := func(s *servers.Server) string { return s.Log }

	for words, want := range map[string]struct {
		shards []int
		rows   int
	}{"2025-02": {[]int{2}, 28 * 8}, "2025-01-31/2025-02-01": {[]int{1, 2}, 16}, "2025-Q1": {[]int{1, 2, 3}, 90 * 8}, "2025-02-28": {[]int{2}, 8}} {
		marks := sizes(t, shards, log)
		n, steps, err := asked(t, s, &tables, words)
		require.NoError(t, err)
		assert.Equal(t, want.rows, n, words)
		which, text := touched(t, shards, marks, log)
		assert.Equal(t, want.shards, which, words)
		assert.Regexp(t, `WHERE .*passed_at >= .*passed_at < `, text, "the shard filters")
		if len(want.shards) == 1 {
			assert.Contains(t, text, "ORDER BY", "the shard sorts")
		}
		for m := 1; m <= 3; m++ {
			has := strings.Contains(strings.Join(steps, "\n"), fmt.Sprintf("passages_%d", m))
			assert.Equal(t, assert.ObjectsAreEqual(true, contains(want.shards, m)), has, "%s: the plan names shard %d\n%s", words, m, strings.Join(steps, "\n"))
		}
	}

	shards[2].Stop()
	n, _, err := asked(t, s, &tables, "2025-02")
	require.NoError(t, err, "a healthy shard answers while another is down")
	assert.Equal(t, 28*8, n)
	_, err = s.Catalogue(t.Context())
	assert.NoError(t, err, "and the tables can be looked at")
	_, _, err = asked(t, s, &tables, "2025-03")
	require.Error(t, err)
	assert.NotContains(t, err.Error(), servers.Password)
	assert.Contains(t, err.Error(), "shard3")
}

func contains(list []int, n int) bool {
	for _, v := range list {
		if v == n {
			return true
		}
	}
	return false
}

// TestShardedMariaDB: Spider over two servers, a partition a half quarter, each
// its own remote table.
func TestShardedMariaDB(t *testing.T) {
	t.Parallel()
	front, db := servers.MariaDB(t, "--plugin-load-add=ha_spider", "--plugin-maturity=gamma")
	var shards []*servers.Server
	var stores []*sql.DB
	parts := []string{}
	for m := 1; m <= 2; m++ {
		shard, store := servers.MariaDB(t, "--general-log=1", "--log-output=FILE", "--general-log-file=general.log")
		execute(t, store, fmt.Sprintf("create table passages_%d (id bigint primary key, passed_at datetime not null, `lock` varchar(40), key (passed_at)); grant all on business.* to reader@'127.0.0.1'", m))
		host, port, _ := strings.Cut(shard.Address, ":")
		execute(t, db, fmt.Sprintf("create server shard%d foreign data wrapper mysql options (host '%s', port %s, database '%s', user '%s', password '%s')", m, host, port, servers.Database, servers.Reader, servers.Password))
		until := []string{"'2025-02-01'", "'2025-04-01'"}[m-1]
		parts = append(parts, fmt.Sprintf("partition p%d values less than (%s) comment = 'srv \"shard%d\", table \"passages_%d\"'", m, until, m, m))
		shards, stores = append(shards, shard), append(stores, store)
	}
	execute(t, db, "create table passages (id bigint not null, passed_at datetime not null, `lock` varchar(40), key (passed_at), primary key (id, passed_at)) engine=spider partition by range columns (passed_at) ("+strings.Join(parts, ", ")+")")
	month(t, func(m, id int, at time.Time, lock string) {
		n := min(m, 2)
		execute(t, stores[n-1], fmt.Sprintf("insert into passages_%d values (?, ?, ?)", n), id, at.Format("2006-01-02 15:04:05"), lock)
	})
	s := source(t, "mysql", address(front))
	tables, err := s.Catalogue(t.Context())
	require.NoError(t, err)
	log := func(s *servers.Server) string { return s.Folder() + "/data/general.log" }
	for words, want := range map[string]struct {
		shards []int
		rows   int
	}{"2025-01-15": {[]int{1}, 8}, "2025-02": {[]int{2}, 28 * 8}, "2025-01-31/2025-02-01": {[]int{1, 2}, 16}} {
		marks := sizes(t, shards, log)
		n, _, err := asked(t, s, &tables, words)
		require.NoError(t, err)
		assert.Equal(t, want.rows, n, words)
		which, text := touched(t, shards, marks, log)
		assert.Equal(t, want.shards, which, "%s\n%s", words, text)
		assert.Regexp(t, "(?i)where .*passed_at", text, "the shard filters")
	}
	shards[0].Stop()
	n, _, err := asked(t, s, &tables, "2025-02")
	require.NoError(t, err, "a healthy shard answers while another is down")
	assert.Equal(t, 28*8, n)
	_, _, err = asked(t, s, &tables, "2025-01-15")
	require.Error(t, err)
	assert.NotContains(t, err.Error(), servers.Password)
}
