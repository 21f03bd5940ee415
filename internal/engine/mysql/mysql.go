// Package mysql reads MariaDB 10.6 and MySQL 8 and later. Every statement runs
// in a transaction that can only read, and is killed on the server when its
// caller goes away.
package mysql

import (
	"context"
	"crypto/rand"
	"crypto/rsa"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
	"io"
	"log"
	"math/big"
	"net"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/go-sql-driver/mysql"

	"pikegate/core/catalog"
	"pikegate/core/dialect"
	"pikegate/core/sqltext"
	"pikegate/internal/engine"
)

// Engine is MariaDB and MySQL. Sessions run with ANSI_QUOTES and NO_BACKSLASH_ESCAPES.
var Engine = engine.Engine{
	Name: "mysql", Open: Open,
	Traits: catalog.Traits{ZeroDates: true, Unplaced: true, SQL: sqltext.Flavour{Backticks: true, Hashes: true, Spaced: true}},
}

type source struct {
	address engine.Address
	db      *sql.DB
	// kills has connections of its own, once they are needed: the others may all be
	// busy with what is to be stopped.
	kills   func() *sql.DB
	killing atomic.Pointer[sql.DB]
	sockets sync.Map // *buffered by driver.Conn

	mu      sync.Mutex
	dialect dialect.Dialect
	mariaDB bool
	known   bool
}

// Open opens a database. It is not connected to before the first statement.
func Open(a engine.Address) (engine.Source, error) {
	if _, _, err := net.SplitHostPort(a.At); err != nil {
		a.At = net.JoinHostPort(a.At, "3306")
	}
	c := mysql.NewConfig()
	c.Net, c.Addr, c.DBName, c.User, c.Passwd = "tcp", a.At, a.Database, a.User, a.Password
	c.Loc, c.ParseTime, c.InterpolateParams, c.MultiStatements, c.AllowAllFiles = time.UTC, false, false, false, false
	c.Timeout = 10 * time.Second
	c.Params = map[string]string{"time_zone": "'+00:00'", "sql_mode": "'ANSI,STRICT_ALL_TABLES,NO_BACKSLASH_ESCAPES,ONLY_FULL_GROUP_BY'", "group_concat_max_len": "1024"}
	c.Collation = "utf8mb4_bin"
	c.DialFunc = dial
	c.Logger = log.New(io.Discard, "", 0) // failures come back as errors
	host, _, _ := net.SplitHostPort(a.At)
	c.TLS = a.Encryption(host)
	c.AllowFallbackToPlaintext = a.TLS == "" && c.TLS != nil && c.TLS.InsecureSkipVerify // on this machine, where the server offers it
	c.AllowCleartextPasswords, c.AllowOldPasswords = false, false
	if c.TLS == nil && !engine.Local(host) {
		c.ServerPubKey = nobodys()
	}
	made, err := mysql.NewConnector(c)
	if err != nil {
		return nil, &engine.Failure{Code: engine.Unreachable, Message: fmt.Sprintf("The address of the source %s cannot be used.", a.Name), Err: err}
	}
	s := &source{address: a, dialect: dialect.MySQL("utf8mb4_bin")}
	s.kills = sync.OnceValue(func() *sql.DB {
		db := sql.OpenDB(made)
		db.SetMaxOpenConns(2)
		db.SetMaxIdleConns(1)
		db.SetConnMaxIdleTime(time.Minute)
		s.killing.Store(db)
		return db
	})
	s.db = sql.OpenDB(connector{made, &s.sockets})
	s.db.SetMaxOpenConns(a.Connections)
	s.db.SetMaxIdleConns(a.Connections)
	s.db.SetConnMaxIdleTime(5 * time.Minute)
	return s, nil
}

func (s *source) Dialect() dialect.Dialect {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.dialect
}

func (s *source) Close() error {
	if db := s.killing.Load(); db != nil {
		return errors.Join(s.db.Close(), db.Close())
	}
	return s.db.Close()
}

// learn asks once which server it is: the collation that compares by code
// point and keeps blanks at the end has another name on each.
func (s *source) learn(ctx context.Context, conn *sql.Conn) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.known {
		return nil
	}
	var version string
	if err := conn.QueryRowContext(ctx, "select version()").Scan(&version); err != nil {
		return err
	}
	s.mariaDB, s.known = strings.Contains(version, "MariaDB"), true
	s.dialect = dialect.MySQL("utf8mb4_0900_bin")
	if s.mariaDB {
		s.dialect = dialect.MySQL("utf8mb4_nopad_bin")
	}
	return nil
}

// passed is what the caller's own function returned, which is no failure of
// the source.
type passed struct{ error }

// with runs something in a read-only transaction, which is always rolled back.
// When the caller goes away, the server is told to stop the statement. What is
// lasting leaves something in the session, which is not used again.
func (s *source) with(ctx context.Context, lasting bool, do func(driver.Conn, *buffered) error) error {
	conn, err := s.db.Conn(ctx)
	if err != nil {
		return s.fail(ctx, err)
	}
	defer conn.Close()
	if err := s.learn(ctx, conn); err != nil {
		return s.fail(ctx, err)
	}
	var id int64
	if err := conn.QueryRowContext(ctx, "select connection_id()").Scan(&id); err != nil {
		return s.fail(ctx, err)
	}
	limit := fmt.Sprintf("set session max_execution_time = %d", s.address.Limit.Milliseconds())
	if s.mariaDB {
		// Its cache of subqueries takes texts for the same that differ in capitals or
		// accents, whatever the comparison says.
		limit = fmt.Sprintf("set session max_statement_time = %.3f, optimizer_switch = 'subquery_cache=off'", s.address.Limit.Seconds())
	}
	for _, text := range []string{limit, "start transaction read only"} {
		if _, err := conn.ExecContext(ctx, text); err != nil {
			return s.fail(ctx, err)
		}
	}
	var socket *buffered
	_ = conn.Raw(func(raw any) error {
		if known, ok := s.sockets.Load(raw); ok {
			socket = known.(*buffered)
		}
		return nil
	})
	// The statement itself runs without the context: its end would close the
	// connection and leave the statement running.
	done := make(chan struct{})
	var watching sync.WaitGroup
	watching.Add(1)
	go func() {
		defer watching.Done()
		select {
		case <-ctx.Done():
		case <-done:
			return
		}
		s.kill(id)
		select {
		case <-done:
		case <-time.After(hanging):
			if socket != nil {
				_ = socket.Close() // the statement ends with its error
			}
		}
	}()
	err = conn.Raw(func(raw any) error { return do(raw.(driver.Conn), socket) })
	close(done)
	watching.Wait()
	after, stop := context.WithTimeout(context.Background(), 5*time.Second)
	defer stop()
	_, broken := conn.ExecContext(after, "rollback")
	if broken == nil && lasting {
		broken = driver.ErrBadConn
	}
	if broken != nil {
		_ = conn.Raw(func(any) error { return driver.ErrBadConn }) // not used again
	}
	if err != nil {
		return s.fail(ctx, err)
	}
	return nil
}

// hanging is how long a server may take to stop a statement when it is told to.
const hanging = 5 * time.Second

// kill stops the statement of another connection.
func (s *source) kill(id int64) {
	ctx, stop := context.WithTimeout(context.Background(), 5*time.Second)
	defer stop()
	_, _ = s.kills().ExecContext(ctx, "kill query "+strconv.FormatInt(id, 10)) // it may have ended by itself
}

// reads is how a statement that reads begins. A read-only transaction refuses
// changes of records, but the server ends it by itself before it changes a
// table, if the login may.
var reads = regexp.MustCompile(`(?i)^[\s(]*(select|with|values|show|explain)\b`)

// lasts finds what a session keeps after a statement: variables, locks with a
// name, and what was inserted last.
var lasts = regexp.MustCompile(`(?i)@|\b(get_lock|last_insert_id|setval|nextval)\s*\(`)

func (s *source) Stream(ctx context.Context, q dialect.Query, row func([]any) error) error {
	if err := q.Err(); err != nil {
		return err
	}
	if !reads.MatchString(q.SQL) {
		return &engine.Failure{Code: engine.Refused, Message: "The source " + s.address.Name + " only reads: the statement is no query."}
	}
	inner, stop := context.WithCancel(ctx)
	defer stop()
	err := s.with(inner, lasts.MatchString(q.SQL), func(conn driver.Conn, socket *buffered) error {
		statement, err := conn.Prepare(q.SQL)
		if err != nil {
			return err
		}
		defer statement.Close()
		rows, err := statement.(driver.StmtQueryContext).QueryContext(context.WithoutCancel(ctx), named(q.Args)) // see with
		if err != nil {
			return err
		}
		defer rows.Close()
		taken := func(values []any) error {
			if err := row(values); err != nil {
				stop()
				return passed{err}
			}
			return nil
		}
		if columns, known := columnsOf(rows); known && socket.shows() {
			if err := socket.each(columns, q.Passing, taken); err != nil {
				return err
			}
		}
		return handOver(rows, taken)
	})
	var own passed
	if errors.As(err, &own) {
		return own.error
	}
	return err
}

// handOver hands over the rows as the driver reads them.
func handOver(rows driver.Rows, row func([]any) error) error {
	names := rows.Columns()
	binaries := make([]bool, len(names))
	for i := range names {
		binaries[i] = wires[rows.(driver.RowsColumnTypeDatabaseTypeName).ColumnTypeDatabaseTypeName(i)] == wireBytes
	}
	var texts engine.Arena
	values, out := make([]driver.Value, len(names)), make([]any, len(names))
	for {
		if err := rows.Next(values); err != nil {
			if errors.Is(err, io.EOF) {
				return nil
			}
			return err
		}
		for i, v := range values {
			out[i] = decoded(binaries[i], v, &texts)
		}
		if err := row(out); err != nil {
			return err
		}
	}
}

// named numbers values for the driver.
func named(args []any) []driver.NamedValue {
	out := make([]driver.NamedValue, len(args))
	for i, v := range args {
		switch bound := v.(type) {
		case dialect.List:
			v = string(bound)
		case dialect.Decimal:
			v = string(bound)
		}
		out[i] = driver.NamedValue{Ordinal: i + 1, Value: v}
	}
	return out
}

// decoded is a value as the engine's contract has it: bytes are text, unless
// the column is one of bytes.
func decoded(bytes bool, v driver.Value, texts *engine.Arena) any {
	switch v := v.(type) {
	case []byte:
		if bytes {
			return slices.Clone(v)
		}
		return texts.Text(v)
	case uint64:
		if v <= 1<<63-1 {
			return int64(v)
		}
		return strconv.FormatUint(v, 10)
	case float32:
		return engine.Single(v)
	}
	return v
}

// nobodys names a public key that nobody can decrypt with. Without TLS a server
// can ask for the password encrypted with a key that it sends along, which anybody
// between can send instead; with this one it gets nothing that tells it.
var nobodys = sync.OnceValue(func() string {
	modulus := make([]byte, 256)
	_, _ = rand.Read(modulus) // never fails
	modulus[0], modulus[255] = modulus[0]|0x80, modulus[255]|1
	mysql.RegisterServerPubKey("nobody's", &rsa.PublicKey{N: new(big.Int).SetBytes(modulus), E: 65537})
	return "nobody's"
})

// fail says what went wrong, never with a secret in it.
func (s *source) fail(ctx context.Context, err error) error {
	var own passed
	if errors.As(err, &own) {
		return err
	}
	if ctx.Err() != nil {
		return context.Cause(ctx)
	}
	name := "The source " + s.address.Name
	var server *mysql.MySQLError
	if !errors.As(err, &server) {
		if failure := engine.TLSFailure(name, s.address.At, err); failure != nil {
			return failure
		}
		return &engine.Failure{Code: engine.Unreachable, Message: fmt.Sprintf("%s at %s cannot be reached.", name, s.address.At), Err: err}
	}
	code, what, hint := engine.Broken, name+" could not answer", ""
	switch server.Number {
	case 1044, 1045, 1049, 1698:
		code, what = engine.WrongLogin, name+" refused the login"
		if s.address.TLS == "off" {
			hint = "Without TLS no password is given to a server that wants to see it: say --tls verify if it takes encrypted connections."
		}
	case 1146, 1054, 1051:
		code = engine.NoSuchTable
	case 1142, 1143, 1227, 1370:
		code, what = engine.NoPermission, name+" does not permit it"
	case 1792, 1290:
		code, what = engine.Refused, name+" only reads"
	case 1969, 3024, 1317:
		return &engine.Failure{Code: engine.TimedOut, Message: fmt.Sprintf("%s stopped the statement at its limit of %s.", name, s.address.Limit), Err: err}
	case 1053, 1927:
		code, what = engine.Unreachable, name+" was shut down"
	}
	return &engine.Failure{Code: code, Message: fmt.Sprintf("%s: %s (%d).", what, server.Message, server.Number), Hint: hint, Err: err}
}

// Check tries to write, and asks what the login may do.
func (s *source) Check(ctx context.Context) (engine.Inspection, error) {
	rows, err := engine.Rows(ctx, s, "select version(), @@global.time_zone, @@system_time_zone")
	if err != nil {
		return engine.Inspection{}, err
	}
	report := engine.Inspection{Version: rows[0][0].(string), Zone: fmt.Sprint(rows[0][1])}
	if report.Zone == "SYSTEM" {
		report.Zone = fmt.Sprint(rows[0][2])
	}
	var table string
	if tables, err := engine.Rows(ctx, s, "select table_name from information_schema.tables where table_schema = database() limit 1"); err == nil && len(tables) > 0 {
		table = fmt.Sprint(tables[0][0])
		// Not through Stream, which would refuse it by itself.
		err = s.with(ctx, false, func(conn driver.Conn, _ *buffered) error {
			statement, err := conn.Prepare("delete from `" + strings.ReplaceAll(table, "`", "``") + "` where 1 = 0")
			if err != nil {
				return err
			}
			defer statement.Close()
			_, err = statement.(driver.StmtExecContext).ExecContext(context.WithoutCancel(ctx), nil) // see with
			return err
		})
		var failure *engine.Failure
		if errors.As(err, &failure) {
			report.ReadOnly, report.Proof = failure.Code == engine.Refused || failure.Code == engine.NoPermission, failure.Message
		}
	}
	grants, err := engine.Rows(ctx, s, "show grants")
	if err != nil {
		return report, err
	}
	for _, g := range grants {
		text := strings.ToUpper(fmt.Sprint(g[0]))
		if strings.Contains(text, "ALL PRIVILEGES ON *.*") || files.MatchString(text) {
			report.Powers = append(report.Powers, "it can read and write files of the server")
		} else if strings.Contains(text, "ALL PRIVILEGES") || strings.Contains(text, "INSERT") || strings.Contains(text, "DELETE") {
			report.Notes = append(report.Notes, "The login holds rights to write; the transaction keeps them from being used, but they are better taken away.")
		}
	}
	return report, nil
}

// files finds the right to the server's files among grants.
var files = regexp.MustCompile(`^GRANT\b.*\b(FILE|SUPER)\b.* ON \*\.\*`)
