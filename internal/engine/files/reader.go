package files

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"unsafe"

	duckdb "github.com/duckdb/duckdb-go-bindings"

	"pikegate/core/catalog"
	"pikegate/core/dialect"
	"pikegate/internal/engine"
	"pikegate/internal/engine/worker"
)

// kind is the name under which this binary becomes a reader of a folder of files.
const kind = "pikegate-files"

// What a reader may take: DuckDB keeps to three quarters of it, beyond which it uses temporary files;
// that of the process is for what it does not count: the buffers of a text file of 2,000 columns take
// 3.4 GB of addresses, most of which is never used.
const (
	mostMemory  = 512 << 20
	mostOnDisk  = 4 << 30
	mostThreads = 2
)

var processLimits = worker.Limits{Memory: 10 * mostMemory, File: mostOnDisk, Folder: true, Open: 1024}

func init() { worker.Main(kind, processLimits, openReader) }

// reader is DuckDB within a worker, which can read files of one folder, and of that for copies,
// and nothing else.
type reader struct {
	database duckdb.Database
	conn     duckdb.Connection
}

// closedIn are the settings that keep DuckDB to a folder and within its limits; the last one
// keeps statements from changing them.
func closedIn(folder, temporary string) [][2]string {
	return [][2]string{
		{"autoinstall_known_extensions", "false"},
		{"autoload_known_extensions", "false"},
		{"allow_community_extensions", "false"},
		{"temp_directory", temporary},
		{"max_temp_directory_size", fmt.Sprintf("%dB", int64(mostOnDisk))},
		{"allowed_directories", "['" + quoted(folder) + "/', '" + quoted(temporary) + "/']"},
		{"enable_external_access", "false"},
		{"preserve_insertion_order", "true"},
		{"allocator_flush_threshold", "8MB"},
		{"allocator_bulk_deallocation_flush_threshold", "8MB"},
		{"TimeZone", "UTC"},
		{"disabled_optimizers", "top_n_window_elimination"}, // some statements with row_number() fail with it in 1.4
		{"lock_configuration", "true"},
	}
}

// sized are the settings that DuckDB is opened with.
var sized = [][2]string{{"memory_limit", fmt.Sprintf("%dB", mostMemory/4*3)}, {"threads", fmt.Sprint(mostThreads)}}

func quoted(text string) string { return strings.ReplaceAll(text, "'", "''") }

// openReader opens DuckDB without a database of its own.
func openReader(folder string) (worker.Reader, error) {
	r := &reader{}
	var config duckdb.Config
	if duckdb.CreateConfig(&config) == duckdb.StateError {
		return nil, failed("the settings cannot be made")
	}
	defer duckdb.DestroyConfig(&config)
	for _, set := range sized { // else it looks for what the machine has, which a worker cannot see
		if duckdb.SetConfig(config, set[0], set[1]) == duckdb.StateError {
			return nil, failed("the setting " + set[0] + " is refused")
		}
	}
	var message string
	if duckdb.OpenExt(":memory:", &r.database, config, &message) == duckdb.StateError {
		return nil, failed(message)
	}
	if duckdb.Connect(r.database, &r.conn) == duckdb.StateError {
		return nil, failed("there is no connection")
	}
	for _, set := range closedIn(folder, os.Getenv("TMPDIR")) {
		value := set[1]
		if !strings.HasPrefix(value, "[") {
			value = "'" + quoted(value) + "'"
		}
		if err := r.run("set " + set[0] + " = " + value); err != nil {
			return nil, err
		}
	}
	return r, nil
}

func failed(message string) error {
	return &engine.Failure{Code: engine.Unreachable, Message: "DuckDB could not be started: " + message}
}

// run runs one of our own statements.
func (r *reader) run(statement string) error {
	var result duckdb.Result
	defer duckdb.DestroyResult(&result)
	if duckdb.Query(r.conn, statement, &result) == duckdb.StateError {
		return failed(duckdb.ResultError(&result))
	}
	return nil
}

// prepare prepares a statement, which has to be one that only reads.
func (r *reader) prepare(q dialect.Query) (duckdb.PreparedStatement, error) {
	var statement duckdb.PreparedStatement
	if duckdb.Prepare(r.conn, q.SQL, &statement) == duckdb.StateError {
		defer duckdb.DestroyPrepare(&statement)
		return statement, failureOf(duckdb.PrepareError(statement))
	}
	switch duckdb.PreparedStatementType(statement) {
	case duckdb.StatementTypeSelect, duckdb.StatementTypeExplain:
	default:
		duckdb.DestroyPrepare(&statement)
		return statement, &engine.Failure{Code: engine.Refused, Message: "only statements that select can be run"}
	}
	for i, arg := range q.Args {
		at := duckdb.IdxT(i + 1)
		state := duckdb.StateError
		switch v := arg.(type) {
		case nil:
			state = duckdb.BindNull(statement, at)
		case int64:
			state = duckdb.BindInt64(statement, at, v)
		case float64:
			state = duckdb.BindDouble(statement, at, v)
		case bool:
			state = duckdb.BindBoolean(statement, at, v)
		case []byte:
			state = duckdb.BindBlob(statement, at, v)
		default:
			text := fmt.Sprint(v)
			state = duckdb.BindVarcharLength(statement, at, text, duckdb.IdxT(len(text)))
		}
		if state == duckdb.StateError {
			defer duckdb.DestroyPrepare(&statement)
			return statement, failureOf(fmt.Sprintf("value %d cannot be bound: %s", i+1, duckdb.PrepareError(statement)))
		}
	}
	return statement, nil
}

// Stream hands over the rows as they come: no result is kept.
func (r *reader) Stream(ctx context.Context, q dialect.Query, to *worker.Rows) error {
	statement, err := r.prepare(q)
	if err != nil {
		return err
	}
	defer duckdb.DestroyPrepare(&statement)
	unwatch := context.AfterFunc(ctx, func() { duckdb.Interrupt(r.conn) })
	defer unwatch()
	var pending duckdb.PendingResult
	defer duckdb.DestroyPending(&pending)
	if duckdb.PendingPreparedStreaming(statement, &pending) == duckdb.StateError {
		return failureOf(duckdb.PendingError(pending))
	}
	var result duckdb.Result
	defer duckdb.DestroyResult(&result)
	if duckdb.ExecutePending(pending, &result) == duckdb.StateError {
		return failureOf(duckdb.ResultError(&result))
	}
	columns := make([]*column, duckdb.ColumnCount(&result))
	for i := range columns {
		columns[i] = columnOf(&result, duckdb.IdxT(i))
	}
	values := make([]any, len(columns))
	for {
		chunk := duckdb.FetchChunk(result)
		if chunk.Ptr == nil { // the end, or an error
			if message := duckdb.ResultError(&result); message != "" {
				return failureOf(message)
			}
			return nil
		}
		err := func() error {
			defer duckdb.DestroyDataChunk(&chunk)
			for i, c := range columns {
				vector := duckdb.DataChunkGetVector(chunk, duckdb.IdxT(i))
				c.data, c.valid = duckdb.VectorGetData(vector), duckdb.VectorGetValidity(vector)
			}
			for at := range int(duckdb.DataChunkGetSize(chunk)) {
				for i, c := range columns {
					values[i] = c.value(at)
				}
				if err := to.Add(values); err != nil {
					return err
				}
			}
			return nil
		}()
		if err != nil {
			return err
		}
	}
}

// failureOf says what DuckDB complains of.
func failureOf(message string) error {
	message = plainly(message)
	code := engine.Broken
	switch {
	case strings.Contains(message, "Out of Memory"), strings.Contains(message, "temporary directory"), strings.Contains(message, "Maximum line size"):
		code = engine.TooLarge
	case strings.HasPrefix(message, "Permission Error"), strings.Contains(message, "has been locked"), strings.HasPrefix(message, "Parser Error: Unsupported"):
		code = engine.Refused
	case strings.HasPrefix(message, "Catalog Error"), strings.HasPrefix(message, "Binder Error"):
		code = engine.NoSuchTable
	case strings.HasPrefix(message, "IO Error"):
		code = engine.Unreachable
	}
	return &engine.Failure{Code: code, Message: message}
}

// What DuckDB says of a text file.
var (
	atLine   = regexp.MustCompile(`CSV Error on Line: (\d+)`)
	itself   = regexp.MustCompile(`Original Line: (.*)`)
	widths   = regexp.MustCompile(`Expected Number of Columns: (\d+) Found: (\d+)`)
	fileName = regexp.MustCompile(`file = (.*)`)
)

// plainly shortens what DuckDB says to what whoever keeps the files can use: its advice is for
// those who write its options.
func plainly(message string) string {
	message, _, _ = strings.Cut(strings.TrimSpace(message), "\n\nPossible solutions:")
	message, _, _ = strings.Cut(message, "\n\nLINE 1:")
	line := atLine.FindStringSubmatch(message)
	if line == nil {
		return strings.TrimRight(message, " \n.")
	}
	said := "line " + line[1]
	if m := fileName.FindStringSubmatch(message); m != nil {
		said = filepath.Base(m[1]) + ", " + said
	}
	switch m := widths.FindStringSubmatch(message); {
	case m != nil && m[2] == "1":
		said += ": there is 1 field instead of " + m[1]
	case m != nil:
		said += fmt.Sprintf(": there are %s fields instead of %s", m[2], m[1])
	case strings.Contains(message, "unterminated quote"):
		said += ": a quote is not closed"
	default:
		_, rest, _ := strings.Cut(message, "\n")
		rest, _, _ = strings.Cut(rest, "\nPossible fixes:")
		return said + ": " + strings.Join(strings.Fields(rest), " ")
	}
	if m := itself.FindStringSubmatch(message); m != nil {
		said += fmt.Sprintf(", in %q", m[1])
	}
	return said
}

// isNull tells whether a value is blank, by the bits of a vector.
func isNull(valid unsafe.Pointer, at int) bool {
	if valid == nil {
		return false
	}
	word := *(*uint64)(unsafe.Add(valid, at/64*8))
	return word>>(at%64)&1 == 0
}

// Describe prepares the statement, which tells its columns.
func (r *reader) Describe(_ context.Context, q dialect.Query) (engine.Description, error) {
	q.Args = nil
	statement, err := r.prepare(q)
	if err != nil {
		return engine.Description{}, err
	}
	defer duckdb.DestroyPrepare(&statement)
	var out engine.Description
	for i := range duckdb.PreparedStatementColumnCount(statement) {
		logical := duckdb.PreparedStatementColumnLogicalType(statement, i)
		c := catalog.Column{Name: duckdb.PreparedStatementColumnName(statement, i), Nullable: true}
		typed(&c, nameOf(logical))
		duckdb.DestroyLogicalType(&logical)
		out.Columns = append(out.Columns, c)
	}
	return out, nil
}

var typeNames = map[duckdb.Type]string{
	duckdb.TypeBoolean: "boolean", duckdb.TypeTinyInt: "tinyint", duckdb.TypeSmallInt: "smallint", duckdb.TypeInteger: "integer", duckdb.TypeBigInt: "bigint",
	duckdb.TypeUTinyInt: "utinyint", duckdb.TypeUSmallInt: "usmallint", duckdb.TypeUInteger: "uinteger", duckdb.TypeUBigInt: "ubigint", duckdb.TypeHugeInt: "hugeint",
	duckdb.TypeFloat: "float", duckdb.TypeDouble: "double", duckdb.TypeVarchar: "varchar", duckdb.TypeBlob: "blob", duckdb.TypeDate: "date", duckdb.TypeEnum: "enum", duckdb.TypeUUID: "uuid",
	duckdb.TypeTimestamp: "timestamp", duckdb.TypeTimestampS: "timestamp_s", duckdb.TypeTimestampMS: "timestamp_ms", duckdb.TypeTimestampNS: "timestamp_ns", duckdb.TypeTimestampTZ: "timestamp with time zone",
}

// nameOf is what DuckDB calls a type.
func nameOf(logical duckdb.LogicalType) string {
	id := duckdb.GetTypeId(logical)
	if id == duckdb.TypeDecimal {
		return fmt.Sprintf("decimal(%d,%d)", duckdb.DecimalWidth(logical), duckdb.DecimalScale(logical))
	}
	if name, ok := typeNames[id]; ok {
		return name
	}
	return "nested"
}
