package files

import (
	"bufio"
	"context"
	"encoding/csv"
	"errors"
	"io"
	"slices"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/internal/engine"
)

// Places tells where in text files what is no date stands.
func (s *source) Places(ctx context.Context, name string, c catalog.Column, most int) (places []engine.Place, err error) {
	tables, err := s.known(ctx)
	if err != nil {
		return nil, err
	}
	at := slices.IndexFunc(tables, func(t *table) bool { return t.name == name })
	if at < 0 || c.Stored != catalog.Text {
		return nil, nil
	}
	t := tables[at]
	column := slices.IndexFunc(t.columns, func(r read) bool { return r.Name == c.Name })
	if t.written.delimiter == 0 || column < 0 || column >= len(t.written.head) || t.files[0].form != separated {
		return nil, nil
	}
	for i, part := range t.parts {
		lines, err := t.unfit(ctx, part.path, column, c, most-len(places))
		if err != nil {
			return nil, err
		}
		for _, line := range lines {
			places = append(places, engine.Place{File: t.files[i].rel(), Line: line})
		}
		if len(places) >= most {
			break
		}
	}
	return places, nil
}

// unfit are the lines of a text file on which a column has what is no date.
func (t *table) unfit(ctx context.Context, path string, column int, c catalog.Column, most int) (lines []int, err error) {
	file, err := opened(path)
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, file.Close()) }()
	in := bufio.NewReaderSize(file, 1<<16)
	for range t.written.skip {
		if _, err := in.ReadString('\n'); err != nil {
			return nil, nil // it has no more
		}
	}
	r := csv.NewReader(in)
	r.Comma, r.LazyQuotes, r.FieldsPerRecord, r.ReuseRecord = rune(t.written.delimiter), true, -1, true
	clock := civil.NewClock(nil)
	for first := true; len(lines) < most; first = false {
		record, err := r.Read()
		if err == io.EOF {
			break
		}
		if err == nil {
			err = context.Cause(ctx)
		}
		if err != nil {
			return nil, err
		}
		if first && t.written.headed || column >= len(record) || record[column] == "" {
			continue
		}
		if _, ok := c.Decode(record[column], clock); !ok {
			line, _ := r.FieldPos(column)
			lines = append(lines, line+t.written.skip)
		}
	}
	return lines, nil
}
