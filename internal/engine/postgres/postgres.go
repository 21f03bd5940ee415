// Package postgres reads PostgreSQL 13 and later through pgx. Every statement runs in a transaction that can only read.
package postgres

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgconn/ctxwatch"
	"github.com/jackc/pgx/v5/pgproto3"
	"github.com/jackc/pgx/v5/pgtype"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/dialect"
	"pikegate/core/sqltext"
	"pikegate/internal/engine"
)

// Engine is PostgreSQL.
var Engine = engine.Engine{
	Name: "postgresql", Open: Open,
	Traits: catalog.Traits{SQL: sqltext.Flavour{Dollars: true, Escapes: true, Nested: true}},
}

type source struct {
	address engine.Address
	pool    *pgxpool.Pool
	dialect atomic.Pointer[dialect.Dialect] // once it is known how the database writes capitals
}

// Open opens a database. It is not connected to before the first statement.
func Open(a engine.Address) (engine.Source, error) {
	host, port, err := net.SplitHostPort(a.At)
	if err != nil {
		host, port = a.At, "5432"
	}
	number, err := strconv.ParseUint(port, 10, 16)
	if err != nil {
		return nil, &engine.Failure{Code: engine.Unreachable, Message: fmt.Sprintf("%q is not HOST:PORT.", a.At)}
	}
	forgetEnvironment()
	config, err := pgxpool.ParseConfig("host=127.0.0.1 sslmode=disable passfile=/nonexistent")
	if err != nil {
		return nil, err
	}
	c := config.ConnConfig
	c.Host, c.Port, c.Database, c.User, c.Password = host, uint16(number), a.Database, a.User, a.Password
	c.Fallbacks = nil
	c.TLSConfig = a.Encryption(host)
	if a.TLS == "" && c.TLSConfig != nil && c.TLSConfig.InsecureSkipVerify { // on this machine, where the server offers it
		c.Fallbacks = []*pgconn.FallbackConfig{{Host: c.Host, Port: c.Port}}
	}
	if c.TLSConfig == nil || c.TLSConfig.InsecureSkipVerify { // whoever answers would be given the password
		c.RequireAuth = "!password,!md5"
	}
	c.ConnectTimeout = 10 * time.Second
	c.RuntimeParams = map[string]string{
		"application_name": "pikegate", "timezone": "UTC", "datestyle": "ISO", "intervalstyle": "iso_8601",
		"extra_float_digits": "1", "default_transaction_read_only": "on", "statement_timeout": strconv.FormatInt(a.Limit.Milliseconds(), 10),
	}
	// The server is told when a caller goes away; the connection is kept.
	c.BuildContextWatcherHandler = func(conn *pgconn.PgConn) ctxwatch.Handler {
		return &pgconn.CancelRequestContextWatcherHandler{Conn: conn, CancelRequestDelay: 0, DeadlineDelay: 5 * time.Second}
	}
	// Large pieces: a million records are read in 4 % less time than in those of 8 KiB.
	c.BuildFrontend = func(r io.Reader, w io.Writer) *pgproto3.Frontend {
		return pgproto3.NewFrontend(bufio.NewReaderSize(r, 128<<10), w)
	}
	config.MaxConns = int32(a.Connections)
	config.MinConns, config.MinIdleConns = 0, 0
	config.MaxConnIdleTime = 5 * time.Minute
	pool, err := pgxpool.NewWithConfig(context.Background(), config)
	if err != nil {
		return nil, err
	}
	s := &source{address: a, pool: pool}
	plain := dialect.Postgres("")
	s.dialect.Store(&plain)
	return s, nil
}

// forgetEnvironment has what libpq's programs read from the environment decide
// nothing here: neither where to connect nor with what.
func forgetEnvironment() {
	for _, entry := range os.Environ() {
		if name, _, _ := strings.Cut(entry, "="); strings.HasPrefix(name, "PG") {
			_ = os.Unsetenv(name) // fails for no name
		}
	}
}

func (s *source) Dialect() dialect.Dialect { return *s.dialect.Load() }

// learn looks for a collation that knows the capitals of every script, letter by
// letter; that of the database may know those of ASCII only.
func (s *source) learn(ctx context.Context) error {
	rows, err := engine.Rows(ctx, s, `select collname from pg_collation
		where collname in ('C.utf8', 'C.UTF-8', 'pg_c_utf8', 'und-x-icu') and collencoding in (-1, (select encoding from pg_database where datname = current_database()))
		and getdatabaseencoding() = 'UTF8'
		order by array_position(array['C.utf8', 'C.UTF-8', 'pg_c_utf8', 'und-x-icu'], collname::text) limit 1`)
	if err != nil || len(rows) == 0 {
		return err
	}
	known := dialect.Postgres(rows[0][0].(string))
	s.dialect.Store(&known)
	return nil
}

func (s *source) Close() error {
	s.pool.Close()
	return nil
}

// with prepares a statement in a read-only transaction, which is always rolled back:
// whatever a function set is undone with it. The server is asked for both at once.
func (s *source) with(ctx context.Context, sql string, types []uint32, do func(*pgconn.PgConn, *pgconn.StatementDescription) error) error {
	conn, err := s.pool.Acquire(ctx)
	if err != nil {
		return s.fail(ctx, err)
	}
	defer conn.Release()
	raw := conn.Conn().PgConn()
	prepared, err := s.prepare(ctx, raw, sql, types)
	if err == nil {
		err = do(raw, prepared)
	}
	var stopped error
	if err != nil {
		stopped = s.fail(ctx, err)
	}
	if !raw.IsClosed() {
		after, stop := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer stop()
		// What outlives a transaction goes too: locks that are the session's.
		if _, err := raw.Exec(after, "rollback; select pg_advisory_unlock_all(); reset all; close all; unlisten *").ReadAll(); err != nil {
			_ = raw.Close(after) // a connection whose state is not known is not used again
		}
	}
	return stopped
}

// prepare begins a transaction and prepares a statement in it, which has no name.
func (s *source) prepare(ctx context.Context, conn *pgconn.PgConn, sql string, types []uint32) (prepared *pgconn.StatementDescription, err error) {
	asked := conn.StartPipeline(ctx)
	asked.SendQueryParams("begin read only", nil, nil, nil, nil)
	if s.address.PassPerson {
		asked.SendQueryParams("select set_config('pikegate.user', $1, true)", [][]byte{[]byte(engine.PersonOf(ctx))}, nil, nil, nil)
	}
	asked.SendPrepare("", sql, types)
	err = asked.Sync()
	for err == nil {
		var answer any
		if answer, err = asked.GetResults(); err != nil || answer == nil {
			break
		}
		switch answer := answer.(type) {
		case *pgconn.ResultReader:
			_, err = answer.Close()
		case *pgconn.StatementDescription:
			prepared = answer
		}
	}
	if failure := asked.Close(); err == nil {
		err = failure
	}
	return prepared, err
}

// passed is what the caller's own function returned, which is no failure of
// the source.
type passed struct{ error }

func (s *source) Stream(ctx context.Context, q dialect.Query, row func([]any) error) error {
	if err := q.Err(); err != nil {
		return err
	}
	inner, stop := context.WithCancel(ctx)
	defer stop()
	values, types := bound(q.Args)
	err := s.with(inner, q.SQL, types, func(conn *pgconn.PgConn, prepared *pgconn.StatementDescription) error {
		decoders, formats := decodersOf(prepared.Fields)
		reader := conn.ExecPrepared(inner, "", values, nil, formats)
		out := make([]any, len(formats))
		texts := engine.Arena{Passing: q.Passing}
		for reader.NextRow() {
			texts.Begin()
			values := texts.Row(reader.Values())
			for i, v := range values {
				out[i] = decoders[i].read(v, &texts)
			}
			if err := row(out); err != nil {
				stop() // the rest is not read
				_, _ = reader.Close()
				return passed{err}
			}
		}
		_, err := reader.Close()
		return err
	})
	var own passed
	if errors.As(err, &own) {
		return own.error
	}
	return err
}

// bound writes values as text, with the type of each; a text has none, so that
// it takes that of what it stands beside.
func bound(args []any) (values [][]byte, types []uint32) {
	for _, arg := range args {
		switch v := arg.(type) {
		case nil:
			values, types = append(values, nil), append(types, 0)
		case int64:
			values, types = append(values, strconv.AppendInt(nil, v, 10)), append(types, pgtype.Int8OID)
		case float64:
			values, types = append(values, strconv.AppendFloat(nil, v, 'g', -1, 64)), append(types, pgtype.Float8OID)
		case bool:
			values, types = append(values, strconv.AppendBool(nil, v)), append(types, pgtype.BoolOID)
		case decimal.Decimal: // a whole one as such, so that an index on a column of whole numbers serves
			oid := uint32(pgtype.NumericOID)
			if v.IsInteger() && v.BigInt().IsInt64() {
				oid = pgtype.Int8OID
			}
			values, types = append(values, []byte(v.String())), append(types, oid)
		case dialect.List:
			values, types = append(values, []byte(v)), append(types, pgtype.JSONBOID)
		default:
			values, types = append(values, []byte(fmt.Sprint(v))), append(types, 0)
		}
	}
	return values, types
}

// fail says what went wrong, never with a secret in it.
func (s *source) fail(ctx context.Context, err error) error {
	var own passed
	if errors.As(err, &own) {
		return err
	}
	var server *pgconn.PgError
	name := "The source " + s.address.Name
	switch {
	case errors.As(err, &server):
		code, what := engine.Broken, name+" could not answer"
		switch {
		case server.Code == "57014" && ctx.Err() == nil:
			return &engine.Failure{Code: engine.TimedOut, Message: fmt.Sprintf("%s stopped the statement at its limit of %s.", name, s.address.Limit), Err: err}
		case server.Code == "57014":
			return engine.Fail(ctx, code, what, err)
		case strings.HasPrefix(server.Code, "28") || server.Code == "3D000":
			code, what = engine.WrongLogin, name+" refused the login"
		case server.Code == "42P01" || server.Code == "42703":
			code = engine.NoSuchTable
		case server.Code == "42501":
			code, what = engine.NoPermission, name+" does not permit it"
		case server.Code == "25006":
			code, what = engine.Refused, name+" only reads"
		case strings.HasPrefix(server.Code, "57P"):
			code, what = engine.Unreachable, name+" was shut down"
		}
		if ctx.Err() != nil {
			return context.Cause(ctx)
		}
		return &engine.Failure{Code: code, Message: fmt.Sprintf("%s: %s (%s).", what, server.Message, server.Code), Err: err}
	case ctx.Err() != nil:
		return context.Cause(ctx)
	}
	if strings.Contains(err.Error(), "require_auth") || strings.Contains(err.Error(), "authentication method") {
		return &engine.Failure{
			Code: engine.WrongLogin, Message: name + " asks for the password in a way that gives it to whoever answers, and was not given it.",
			Hint: "Have the server ask by SCRAM-SHA-256, or connect with --tls verify.", Err: err,
		}
	}
	if failure := engine.TLSFailure(name, s.address.At, err); failure != nil {
		return failure
	}
	var network net.Error
	if errors.As(err, &network) || pgconn.SafeToRetry(err) || strings.Contains(err.Error(), "EOF") {
		return &engine.Failure{Code: engine.Unreachable, Message: fmt.Sprintf("%s at %s cannot be reached.", name, s.address.At), Err: err}
	}
	var connect *pgconn.ConnectError
	if errors.As(err, &connect) {
		return &engine.Failure{Code: engine.Unreachable, Message: fmt.Sprintf("%s at %s cannot be reached.", name, s.address.At), Err: err}
	}
	return &engine.Failure{Code: engine.Broken, Message: name + " could not answer: the connection failed.", Err: err}
}

// Check tries to write, and asks what the login is.
func (s *source) Check(ctx context.Context) (engine.Inspection, error) {
	rows, err := engine.Rows(ctx, s, `select version(), (select setting from pg_settings where name = 'TimeZone'),
		(select reset_val from pg_settings where name = 'TimeZone')`)
	if err != nil {
		return engine.Inspection{}, err
	}
	report := engine.Inspection{Version: rows[0][0].(string)}
	if zone, ok := rows[0][2].(string); ok {
		report.Zone = zone
	}
	_, err = engine.Rows(ctx, s, "create temporary table pikegate_tries_to_write (x int)")
	var failure *engine.Failure
	if errors.As(err, &failure) {
		report.ReadOnly, report.Proof = failure.Code == engine.Refused || failure.Code == engine.NoPermission, failure.Message
	}
	powers, err := engine.Rows(ctx, s, `
		select 'it is a superuser' from pg_roles where rolname = current_user and rolsuper
		union all select 'it is a member of ' || r.rolname from pg_roles r
			where r.rolname in ('pg_read_server_files', 'pg_write_server_files', 'pg_execute_server_program', 'pg_signal_backend') and pg_has_role(current_user, r.oid, 'member')
			and not (select rolsuper from pg_roles where rolname = current_user)
		union all select distinct 'it can reach other databases by ' || p.proname from pg_proc p
			where p.proname in ('dblink', 'dblink_exec', 'dblink_connect') and has_function_privilege(current_user, p.oid, 'execute')`)
	if err != nil {
		return report, err
	}
	for _, row := range powers {
		report.Powers = append(report.Powers, fmt.Sprint(row[0]))
	}
	writable, err := engine.Rows(ctx, s, `select count(*) from information_schema.role_table_grants
		where grantee = current_user and privilege_type in ('INSERT', 'UPDATE', 'DELETE', 'TRUNCATE') and table_schema not in ('pg_catalog', 'information_schema')`)
	if err != nil {
		return report, err
	}
	if n, _ := writable[0][0].(int64); n > 0 {
		report.Notes = append(report.Notes, fmt.Sprintf("The login holds %d rights to write; the transaction keeps them from being used, but they are better taken away.", n))
	}
	return report, nil
}

// Plan asks for the plan.
func (s *source) Plan(ctx context.Context, q dialect.Query) (engine.Plan, error) {
	q.SQL = "explain (format json) " + q.SQL
	plan := engine.Plan{Access: map[string]engine.Access{}}
	err := s.Stream(ctx, q, func(row []any) error {
		text, _ := row[0].(string)
		return readPlan(text, &plan)
	})
	return plan, err
}

// Describe prepares the statement, which tells its columns.
func (s *source) Describe(ctx context.Context, q dialect.Query) (engine.Description, error) {
	var columns []catalog.Column
	err := s.with(ctx, q.SQL, nil, func(_ *pgconn.PgConn, prepared *pgconn.StatementDescription) error {
		for _, f := range prepared.Fields {
			c := catalog.Column{Name: f.Name, Nullable: true}
			typed(&c, typeNames[f.DataTypeOID])
			columns = append(columns, c)
		}
		return nil
	})
	position := 0
	var server *pgconn.PgError
	if errors.As(err, &server) {
		position = int(server.Position)
	}
	return engine.Description{Columns: columns}, engine.Complain(err, q.SQL, position)
}
