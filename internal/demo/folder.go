package demo

import (
	"encoding/csv"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	duckdb "github.com/duckdb/duckdb-go-bindings"
	"github.com/xuri/excelize/v2"
)

// Exports is the name definitions give the Navigation's folder of files.
const Exports = "exports"

// WriteFolder makes a folder of files as colleagues keep them: the gauge readings of each month
// as CSV with semicolons and a decimal comma, the stoppages as a workbook with a sheet for each
// year, the tolls as Parquet. It appears only when it is whole.
func WriteFolder(path string, d *Data) (err error) {
	draft := path + ".part"
	if err := os.RemoveAll(draft); err != nil {
		return err
	}
	if err := os.MkdirAll(draft, 0o755); err != nil {
		return err
	}
	if err := errors.Join(d.gaugeFiles(draft), d.stoppages(filepath.Join(draft, "stoppages.xlsx")), d.tolls(filepath.Join(draft, "tolls.parquet"))); err != nil {
		return errors.Join(fmt.Errorf("demo: the files cannot be written: %w", err), os.RemoveAll(draft))
	}
	return os.Rename(draft, path)
}

// written writes a text file of records.
func written(path string, comma rune, records func(write func(...string) error) error) (err error) {
	file, err := os.Create(path)
	if err != nil {
		return err
	}
	w := csv.NewWriter(file)
	w.Comma, w.UseCRLF = comma, true
	err = records(func(fields ...string) error { return w.Write(fields) })
	w.Flush()
	return errors.Join(err, w.Error(), file.Close())
}

// gaugeFiles writes gauge-2023-01.csv and so on: levels in metres, times by the clocks there.
func (d *Data) gaugeFiles(folder string) error {
	zone, err := time.LoadLocation(Zone)
	if err != nil {
		return err
	}
	byMonth := map[string][]Reading{}
	for _, r := range d.Readings {
		month := r.ReadAt.In(zone).Format("2006-01")
		byMonth[month] = append(byMonth[month], r)
	}
	for month, readings := range byMonth {
		err := written(filepath.Join(folder, "gauge-"+month+".csv"), ';', func(write func(...string) error) error {
			if err := write("Gauge", "Read at", "Level (m)"); err != nil {
				return err
			}
			for _, r := range readings {
				level := strings.ReplaceAll(fmt.Sprintf("%.3f", float64(r.LevelMM)/1000), ".", ",")
				if err := write(r.Gauge, r.ReadAt.In(zone).Format("02.01.2006 15:04"), level); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// stoppages writes a workbook with titles above a head, and days as serial numbers.
func (d *Data) stoppages(path string) (err error) {
	names := map[int]string{}
	for _, l := range d.Locks {
		names[l.ID] = l.Name
	}
	book := excelize.NewFile()
	defer func() { err = errors.Join(err, book.Close()) }()
	days, err := book.NewStyle(&excelize.Style{NumFmt: 14})
	if err != nil {
		return err
	}
	for year := FirstDay.Year(); year <= LastDay.Year(); year++ {
		sheet := fmt.Sprint(year)
		if _, err := book.NewSheet(sheet); err != nil {
			return err
		}
		rows := [][]any{{fmt.Sprintf("Stoppages of %d, for the navigation committee", year)}, {}, {"Lock", "First day", "Last day", "Reason", "Cost"}}
		for i, j := range d.Jobs {
			if i%3 != 0 || j.DueOn.Year() != year {
				continue
			}
			through := j.DueOn.AddDate(0, 0, 1+i%9)
			rows = append(rows, []any{names[j.LockID], serial(j.DueOn), serial(through), j.Title, float64(j.CostPence) / 100})
		}
		for i, row := range rows {
			if err := book.SetSheetRow(sheet, fmt.Sprintf("A%d", i+1), &row); err != nil {
				return err
			}
		}
		if err := errors.Join(book.MergeCell(sheet, "A1", "E1"), book.SetCellStyle(sheet, "B4", fmt.Sprintf("C%d", len(rows)), days)); err != nil {
			return err
		}
	}
	return errors.Join(book.DeleteSheet("Sheet1"), book.SaveAs(path))
}

// serial is a day as spreadsheets count them.
func serial(day time.Time) int {
	return int(day.Sub(time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)).Hours() / 24)
}

// tolls writes what was paid, with days and decimals of their own types.
func (d *Data) tolls(path string) (err error) {
	names := map[int]string{}
	for _, l := range d.Locks {
		names[l.ID] = l.Name
	}
	zone, err := time.LoadLocation(Zone)
	if err != nil {
		return err
	}
	draft := path + ".csv"
	err = written(draft, ',', func(write func(...string) error) error {
		for _, p := range d.Passages {
			toll := fmt.Sprintf("%d.%02d", p.TollPence/100, p.TollPence%100)
			if err := write(fmt.Sprint(p.ID), names[p.LockID], p.PassedAt.In(zone).Format("2006-01-02"), toll); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, os.Remove(draft)) }()
	var database duckdb.Database
	var connection duckdb.Connection
	if duckdb.Open(":memory:", &database) == duckdb.StateError {
		return errors.New("DuckDB cannot be started")
	}
	defer duckdb.Close(&database)
	if duckdb.Connect(database, &connection) == duckdb.StateError {
		return errors.New("DuckDB cannot be connected to")
	}
	defer duckdb.Disconnect(&connection)
	var result duckdb.Result
	defer duckdb.DestroyResult(&result)
	quoted := func(text string) string { return "'" + strings.ReplaceAll(text, "'", "''") + "'" }
	statement := "copy (select * from read_csv(" + quoted(draft) + ", header = false, columns = {'passage': 'BIGINT', 'lock': 'VARCHAR', 'passed_on': 'DATE', 'toll': 'DECIMAL(9, 2)'})) to " + quoted(path) + " (format parquet)"
	if duckdb.Query(connection, statement, &result) == duckdb.StateError {
		return errors.New(duckdb.ResultError(&result))
	}
	return nil
}
