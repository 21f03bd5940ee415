package service

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"
	"unicode"

	"pikegate/core/catalog"
	"pikegate/core/diag"
	"pikegate/internal/engine"
	"pikegate/internal/identity"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// Files that people upload are kept in a folder of the service's own, one for each source: a
// source of files without an address is that folder.

// MostUploaded is how many bytes a file may have that is uploaded.
const MostUploaded = 4 << 30

// isUploaded tells whether a source is a folder of the service's own.
func (s *Service) isUploaded(kept store.Source) bool {
	return s.engine(kept.Engine).Holds != nil && kept.Address == "" && kept.Name != KeptSource
}

// folders is the engine that reads folders of files.
func (s *Service) folders() engine.Engine {
	at := slices.IndexFunc(s.Engines, func(e engine.Engine) bool { return e.Holds != nil })
	if at < 0 {
		return engine.Engine{}
	}
	return s.Engines[at]
}

// uploads is the folder that the files of a source are uploaded to.
func (s *Service) uploads(source string) string { return filepath.Join(s.Uploads, source) }

// hasUploads tells whether something was uploaded to a source.
func (s *Service) hasUploads(kind engine.Engine, source string) bool {
	info, err := os.Stat(s.uploads(source))
	return s.Uploads != "" && kind.Holds != nil && err == nil && info.IsDir()
}

// Upload keeps a file of a source, which is made where there is none of the name. One that is
// there already is replaced only where that is wanted. The file appears whole or not at all.
func (s *Service) Upload(ctx context.Context, who identity.Actor, source, name string, replace bool, content io.Reader) (catalog.Source, error) {
	if err := authorChanges(who); err != nil {
		return catalog.Source{}, err
	}
	found, err := s.uploadedTo(ctx, who, source)
	if err != nil {
		return catalog.Source{}, err
	}
	var problems diag.Problems
	if s.Uploads == "" || s.folders().Holds == nil {
		return catalog.Source{}, diag.Problems{{Code: "not_uploaded", Field: "source", Message: "Nothing can be uploaded to this service.", Hint: "Have the folder of the file added as a source."}}
	}
	if source == KeptSource {
		problems = append(problems, reservedSource("source"))
	}
	if !sourceName.MatchString(source) {
		problems = append(problems, diag.Problem{Code: "bad_name", Field: "source", Message: fmt.Sprintf("%q is not a name.", source), Hint: "Names are lower-case words joined by dashes."})
	}
	if err := append(problems, s.badFileName(name)...).Err(); err != nil {
		return catalog.Source{}, err
	}
	folder := s.uploads(source)
	path := filepath.Join(folder, name)
	if _, err := os.Lstat(path); err == nil && !replace {
		return catalog.Source{}, diag.Problems{{Code: "file_exists", Field: "file", Message: fmt.Sprintf("%s has a file %s already.", source, name), Hint: "Say that it is to be replaced, or give this one another name."}}
	}
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return catalog.Source{}, err
	}
	if err := keepFile(path, content); err != nil {
		if !found {
			_ = os.Remove(folder) // if nothing else came into it
		}
		return catalog.Source{}, err
	}
	entry := who.Entry("file.uploaded", source).With(nil, map[string]any{"file": name})
	if err := s.Store.Audit(ctx, entry); err != nil {
		return catalog.Source{}, err
	}
	if found {
		return s.Catalogue(ctx, who, source)
	}
	made, err := s.saveSource(ctx, who, "source.added", wire.SourceInfo{Name: source, Engine: s.folders().Name}, false)
	if err != nil {
		_ = os.RemoveAll(folder)
	}
	return made, err
}

// uploadedTo finds the source that somebody may upload to; not found is one that they may make.
func (s *Service) uploadedTo(ctx context.Context, who identity.Actor, source string) (found bool, err error) {
	all, err := s.Store.Sources(ctx)
	if err != nil {
		return false, err
	}
	at := slices.IndexFunc(all, func(k store.Source) bool { return k.Name == source })
	if at < 0 {
		if !who.MayOn(identity.Manage, identity.EverySource) {
			return false, forbidden("You have no right to add sources.", "Ask an administrator.")
		}
		return false, nil
	}
	if err := s.mayOn(ctx, who, identity.Manage, source); err != nil {
		return false, err
	}
	if !s.isUploaded(all[at]) {
		return false, diag.Problems{{Code: "not_uploaded", Field: "source", Message: fmt.Sprintf("The source %s is not made of uploaded files.", source), Hint: "Upload to another name, or put the file where the source is."}}
	}
	return true, nil
}

// badFileName says what keeps a name from being that of an uploaded file.
func (s *Service) badFileName(name string) diag.Problems {
	const longest = 200
	message := ""
	switch {
	case name == "" || len(name) > longest:
		message = fmt.Sprintf("A file's name has 1 to %d bytes.", longest)
	case name != filepath.Base(name) || strings.ContainsAny(name, `/\`) || strings.IndexFunc(name, unicode.IsControl) >= 0:
		message = fmt.Sprintf("%q is not a file's name.", name)
	case !s.folders().Holds(name):
		message = fmt.Sprintf("%q is of no kind that is read.", name)
	default:
		return nil
	}
	return diag.Problems{{Code: "bad_file_name", Field: "file", Message: message, Hint: "Names end in .csv, .tsv, .txt, .jsonl, .parquet or .xlsx; text files may be compressed, .gz or .zst."}}
}

// keepFile writes a file that appears only when it is whole.
func keepFile(path string, content io.Reader) error {
	file, err := os.CreateTemp(filepath.Dir(path), ".upload-*")
	if err != nil {
		return err
	}
	defer os.Remove(file.Name()) // of no effect once it is renamed
	n, err := io.Copy(file, io.LimitReader(content, MostUploaded+1))
	err = errors.Join(err, file.Sync(), file.Close())
	switch {
	case errors.Is(err, syscall.ENOSPC):
		return diag.Problems{{Code: "disk_full", Field: "file", Message: "There is no room for the file on the service's disk.", Hint: "Ask who runs the service to make room."}}
	case err != nil:
		return err
	case n > MostUploaded:
		return diag.Problems{{Code: "file_too_large", Field: "file", Message: fmt.Sprintf("The file is larger than %d GiB.", MostUploaded>>30), Hint: "Have its folder added as a source, or compress it."}}
	}
	return os.Rename(file.Name(), path)
}

// Uploaded lists the files of a source that were uploaded.
func (s *Service) Uploaded(ctx context.Context, who identity.Actor, source string) ([]wire.UploadedFile, error) {
	if err := s.mayOn(ctx, who, identity.Read, source); err != nil {
		return nil, err
	}
	list := []wire.UploadedFile{}
	entries, err := os.ReadDir(s.uploads(source))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, err
	}
	for _, e := range entries {
		if info, err := e.Info(); err == nil && s.folders().Holds(e.Name()) {
			list = append(list, wire.UploadedFile{Name: e.Name(), Size: info.Size(), At: info.ModTime().UTC().Truncate(time.Second)})
		}
	}
	return list, nil
}

// RemoveUpload removes a file that was uploaded.
func (s *Service) RemoveUpload(ctx context.Context, who identity.Actor, source, name string) error {
	if err := s.mayOn(ctx, who, identity.Manage, source); err != nil {
		return err
	}
	list, err := s.Uploaded(ctx, who, source)
	if err != nil {
		return err
	}
	names := make([]string, len(list))
	for i, f := range list {
		names[i] = f.Name
	}
	if !slices.Contains(names, name) {
		return notFound("file", name, names)
	}
	entry := who.Entry("file.removed", source).With(map[string]any{"file": name}, nil)
	return errors.Join(os.Remove(filepath.Join(s.uploads(source), name)), s.Store.Audit(ctx, entry))
}
