package output

import (
	"encoding/json"

	"pikegate/core/record"
)

// Keeper is a writer that keeps a small result, for who looks at it in one
// piece. The zero value keeps no rows and only counts them.
type Keeper struct {
	Result
	most  int
	cells cells
}

// Keep makes a writer that keeps so many rows at the most.
func Keep(most int) *Keeper { return &Keeper{most: most} }

// Begin takes in the header.
func (k *Keeper) Begin(h Header) error {
	k.Header, k.Rows, k.cells = h, []any{}, newCells(h)
	return nil
}

// Row keeps a row as JSON takes it.
func (k *Keeper) Row(r record.Record) error {
	if len(k.Rows) < k.most {
		k.Rows = append(k.Rows, k.Cells(r))
	}
	return nil
}

// Cells are the cells of a row as JSON takes them.
func (k *Keeper) Cells(r record.Record) []any {
	out := make([]any, len(k.cells.columns))
	for i := range out {
		b, kind := k.cells.append(nil, i, r)
		switch kind {
		case blank:
		case number:
			out[i] = json.Number(b)
		case boolean:
			out[i] = string(b) == "true"
		default:
			out[i] = string(b)
		}
	}
	return out
}

// Text appends the cells of a row, each as it is shown and apart from the next.
func (k *Keeper) Text(b []byte, r record.Record) []byte {
	for i := range k.cells.columns {
		var kind kind
		b, kind = k.cells.append(b, i, r)
		b = append(b, 0, byte(kind))
	}
	return b
}

// Opening does nothing, either.
func (k *Keeper) Opening(Opening) error { return nil }

// Subtotal does nothing: what closes a group is not a record.
func (k *Keeper) Subtotal(Subtotal) error { return nil }

// Flush does nothing: nobody is waiting.
func (k *Keeper) Flush() error { return nil }

// End takes in the summary.
func (k *Keeper) End(s Summary) error {
	k.Summary = s
	return nil
}
