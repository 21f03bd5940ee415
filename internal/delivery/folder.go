package delivery

import (
	"context"
	"errors"
	"io"
	"os"
	"path"
	"path/filepath"
)

// IntoFolder writes the file of a parcel to a path in a folder: beside it first, and renamed when
// the disk holds it. Nothing outside the folder is reached, whatever links are in it. Also is
// what else is written beside it, by the endings of their names.
func IntoFolder(ctx context.Context, folder, to string, p Parcel, also map[string][]byte) (err error) {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return &Failure{Message: "The folder cannot be opened.", Err: err}
	}
	defer func() { err = errors.Join(err, root.Close()) }()
	if dir := path.Dir(to); dir != "." {
		if err := root.MkdirAll(dir, 0o755); err != nil {
			return &Failure{Message: "The folder of the file cannot be made.", Err: err}
		}
	}
	for ending, content := range also {
		if err := place(root, to+ending, p.ID, func(w io.Writer) error { _, err := w.Write(content); return err }); err != nil {
			return err
		}
	}
	return place(root, to, p.ID, func(w io.Writer) error {
		from, err := os.Open(p.Spooled)
		if err != nil {
			return err
		}
		defer from.Close()
		if _, err := io.Copy(w, from); err != nil {
			return err
		}
		return ctx.Err()
	})
}

// place has a file appear when it is whole.
func place(root *os.Root, to, id string, write func(io.Writer) error) error {
	beside := path.Join(path.Dir(to), "."+id+path.Ext(to)+".part") // an attempt before may have left it
	file, err := root.OpenFile(beside, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o644)
	if err != nil {
		return &Failure{Message: "The file cannot be made.", Err: err}
	}
	err = write(file)
	if err == nil {
		err = file.Sync()
	}
	if err = errors.Join(err, file.Close()); err == nil {
		err = root.Rename(beside, to)
	}
	if err != nil {
		_ = root.Remove(beside)
		return &Failure{Message: "The file cannot be written.", Err: err}
	}
	if dir, err := root.Open(filepath.FromSlash(path.Dir(to))); err == nil { // its name is to outlast a power failure too
		_ = dir.Sync()
		_ = dir.Close()
	}
	return nil
}
