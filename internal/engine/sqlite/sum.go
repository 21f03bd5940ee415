package sqlite

// #cgo LDFLAGS: -lm
// #include "extend.h"
// #include <stdint.h>
import "C"

import (
	"fmt"
	"runtime/cgo"
	"strconv"
	"sync"

	"github.com/shopspring/decimal"
)

// extend has each connection that is opened from then on know decimal_sum and be known to
// what packs rows.
var extend = sync.OnceValue(func() error {
	if code := C.register_extensions(); code != 0 {
		return fmt.Errorf("sqlite: decimal_sum cannot be added: %d", int(code))
	}
	return nil
})

// addRest adds a binary fraction with many places as the decimal that it is written as, to
// what was added before.
//
//export addRest
func addRest(handle C.uintptr_t, x C.double) C.uintptr_t {
	if handle == 0 {
		handle = C.uintptr_t(cgo.NewHandle(&decimal.Decimal{}))
	}
	sum := cgo.Handle(handle).Value().(*decimal.Decimal)
	d, err := decimal.NewFromString(strconv.FormatFloat(float64(x), 'f', -1, 64))
	if err == nil { // as it is of each that is finite
		*sum = sum.Add(d)
	}
	return handle
}

// withRest is the sum of that and of what C has added up.
//
//export withRest
func withRest(handle C.uintptr_t, text *C.char, length C.int) *C.char {
	sum := *cgo.Handle(handle).Value().(*decimal.Decimal)
	if d, err := decimal.NewFromString(C.GoStringN(text, length)); err == nil {
		sum = sum.Add(d)
	}
	return C.CString(sum.String())
}

//export forgetRest
func forgetRest(handle C.uintptr_t) { cgo.Handle(handle).Delete() }
