package sqlite

// #include "extend.h"
// #include "pack.h"
// #include <stdlib.h>
import "C"

import (
	"context"
	"fmt"
	"unsafe"

	"github.com/mattn/go-sqlite3"

	"pikegate/core/dialect"
	"pikegate/internal/engine"
	"pikegate/internal/engine/worker"
)

// packer runs the statements of the connection that was opened last. The rows are made
// into messages in C: handing each value over to Go costs three times what reading it does.
type packer struct {
	db       *C.sqlite3
	prepared map[string]*C.sqlite3_stmt
}

// mostPrepared is how many statements stay prepared.
const mostPrepared = 50

func newPacker() packer { return packer{C.opened, map[string]*C.sqlite3_stmt{}} }

// Stream is that of worker.Reader.
func (p packer) Stream(ctx context.Context, q dialect.Query, to *worker.Rows) error {
	statement, err := p.prepare(q.SQL)
	if err != nil {
		return err
	}
	defer func() {
		C.sqlite3_reset(statement)
		C.sqlite3_clear_bindings(statement)
	}()
	if err := p.bind(statement, q.Args); err != nil {
		return err
	}
	told := make(chan struct{})
	unwatch := context.AfterFunc(ctx, func() {
		C.sqlite3_interrupt(p.db)
		close(told)
	})
	defer func() {
		if !unwatch() {
			<-told // so that it comes before the next statement
		}
	}()
	to.Packed(packed)
	for {
		switch came := C.pack_rows(statement, worker.Together); came {
		case C.ROW:
			if err := to.Send(); err != nil {
				return err
			}
		case C.DONE:
			return nil
		case C.NO_MEMORY:
			return &engine.Failure{Code: engine.TooLarge, Message: "out of memory"}
		default:
			if ctx.Err() != nil {
				return context.Cause(ctx)
			}
			return p.failure(came)
		}
	}
}

// packed appends the rows that wait.
func packed(b []byte) []byte {
	var n C.size_t
	rows := C.packed(&n)
	b = append(b, unsafe.Slice((*byte)(unsafe.Pointer(rows)), int(n))...)
	C.taken()
	return b
}

// prepare prepares a statement, or takes the one of the same text.
func (p packer) prepare(sql string) (*C.sqlite3_stmt, error) {
	if statement := p.prepared[sql]; statement != nil {
		return statement, nil
	}
	text := C.CString(sql)
	defer C.free(unsafe.Pointer(text))
	var statement, another *C.sqlite3_stmt
	var rest *C.char
	if came := C.sqlite3_prepare_v2(p.db, text, -1, &statement, &rest); came != C.OK {
		return nil, p.failure(came)
	}
	came := C.sqlite3_prepare_v2(p.db, rest, -1, &another, nil)
	C.sqlite3_finalize(another) // of a comment there is none
	if statement == nil || came != C.OK || another != nil {
		C.sqlite3_finalize(statement)
		return nil, &engine.Failure{Code: engine.Refused, Message: "it is not one statement"}
	}
	if len(p.prepared) >= mostPrepared {
		for sql, old := range p.prepared {
			C.sqlite3_finalize(old)
			delete(p.prepared, sql)
		}
	}
	p.prepared[sql] = statement
	return statement, nil
}

// bind binds the values of a statement.
func (p packer) bind(statement *C.sqlite3_stmt, args []any) error {
	if n := int(C.sqlite3_bind_parameter_count(statement)); n != len(args) {
		return &engine.Failure{Code: engine.Broken, Message: fmt.Sprintf("%d values for %d parameters", len(args), n)}
	}
	for i, v := range args {
		at, came := C.int(i+1), C.int(0)
		switch v := v.(type) {
		case nil:
			came = C.sqlite3_bind_null(statement, at)
		case int64:
			came = C.sqlite3_bind_int64(statement, at, C.int64_t(v))
		case bool:
			came = C.sqlite3_bind_int64(statement, at, C.int64_t(map[bool]int{true: 1}[v]))
		case float64:
			came = C.sqlite3_bind_double(statement, at, C.double(v))
		case string:
			came = C.bind_text(statement, at, unsafe.Pointer(unsafe.StringData(v)), C.int(len(v)))
		case []byte:
			came = C.bind_blob(statement, at, unsafe.Pointer(unsafe.SliceData(v)), C.int(len(v)))
		}
		if came != C.OK {
			return p.failure(came)
		}
	}
	return nil
}

// failure says what SQLite complains of.
func (p packer) failure(came C.int) error {
	message := C.GoString(C.sqlite3_errmsg(p.db))
	return &engine.Failure{Code: codeOf(sqlite3.ErrNo(came&0xff), message), Message: message}
}
