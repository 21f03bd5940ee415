package service

import (
	"crypto/sha256"
	"errors"
	"fmt"
	"hash"
	"os"
	"path/filepath"
	"slices"
	"strconv"

	"pikegate/internal/output"
	"pikegate/internal/runner"
	"pikegate/internal/store"
)

// spooled is the folder of what an occurrence made.
func (s *Service) spooled(occurrence uint) string {
	return filepath.Join(s.Delivered, strconv.FormatUint(uint64(occurrence), 10))
}

// spooling writes the files of a part.
type spooling struct {
	folder  string
	part    int
	job     runner.Job
	formats []output.Format
	// kept has the records written for a table of kept results too, with the constants.
	kept      bool
	constants func(output.Header) []output.Constant
	files     map[string]*spoolFile
	summary   output.Summary
	failed    error
}

// keptKey is that of the file for a table of kept results.
const keptKey = "kept.parquet"

// spoolKey tells the file of a delivery.
func spoolKey(d store.Delivery) string {
	if d.Way == "keep" {
		return keptKey
	}
	return d.Format
}

// all are the formats it is written in.
func (s *spooling) all() []output.Format {
	if s.kept {
		return append(slices.Clone(s.formats), output.Parquet)
	}
	return s.formats
}

// spoolFile is one of them.
type spoolFile struct {
	of    *spooling
	file  *os.File
	path  string
	sum   hash.Hash
	bytes int64
}

func (f *spoolFile) Write(b []byte) (int, error) {
	n, err := f.file.Write(b)
	f.sum.Write(b[:n])
	if f.bytes += int64(n); err != nil {
		f.of.failed = err
	}
	return n, err
}

// spoolWriter notes how it ended.
type spoolWriter struct {
	output.Tee
	of *spooling
}

func (w spoolWriter) Begin(h output.Header) error {
	if w.of.failed != nil {
		return w.of.failed
	}
	return w.Tee.Begin(h)
}

func (w spoolWriter) End(s output.Summary) error {
	w.of.summary = s
	return w.Tee.End(s)
}

// open opens a file, nil where that fails.
func (s *spooling) open(key string) *spoolFile {
	path := filepath.Join(s.folder, fmt.Sprintf("%d.%s", s.part, key))
	file, err := os.OpenFile(path+".tmp", os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		s.failed = err
		return nil
	}
	made := &spoolFile{of: s, file: file, path: path, sum: sha256.New()}
	if s.files == nil {
		s.files = map[string]*spoolFile{}
	}
	s.files[key] = made
	return made
}

// begin opens the files.
func (s *spooling) begin() output.Writer {
	writer := spoolWriter{of: s}
	add := func(key string, f output.Format) {
		made := s.open(key)
		if made == nil {
			return
		}
		w := f.As(s.job.CSV).New(made)
		if key == keptKey {
			w = output.WithConstants(w, s.constants)
		}
		writer.Tee = append(writer.Tee, w)
	}
	for _, f := range s.formats {
		add(f.Name, f)
	}
	if s.kept {
		add(keptKey, output.Parquet)
	}
	return writer
}

// keep has the disk hold the files, under their names.
func (s *spooling) keep() error {
	for _, f := range s.files {
		if err := errors.Join(f.file.Sync(), f.file.Close()); err != nil {
			return err
		}
		if err := os.Rename(f.path+".tmp", f.path); err != nil {
			return err
		}
	}
	if len(s.files) == 0 {
		return nil
	}
	folder, err := os.Open(s.folder)
	if err != nil {
		return err
	}
	return errors.Join(folder.Sync(), folder.Close())
}

// close leaves no file behind that was not kept.
func (s *spooling) close() {
	for _, f := range s.files {
		_ = f.file.Close()
		_ = os.Remove(f.path + ".tmp") // it is not there where it was kept
	}
}
