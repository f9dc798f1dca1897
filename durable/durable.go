// Package durable makes files that are there after a loss of power: what a file says is written to the disk before the
// file has its name, and the name before anybody is told that it is there.
package durable

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
)

// Sync writes a file, or a folder with all that lies in it, to the disk.
func Sync(path string) error {
	return filepath.WalkDir(path, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if !d.IsDir() && !d.Type().IsRegular() {
			return nil
		}
		return flush(path)
	})
}

// flush writes one file, or the names in one folder, to the disk.
func flush(path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	return errors.Join(f.Sync(), f.Close())
}

// Rename gives a file, or a folder with all that lies in it, its name. It is on the disk under that name, whole, when
// Rename returns, or it is not there.
func Rename(from, to string) error {
	if err := Sync(from); err != nil {
		return err
	}
	if err := os.Rename(from, to); err != nil {
		return err
	}
	return flush(filepath.Dir(to))
}

// Write writes a file, which is there only once it is whole.
func Write(path string, content []byte) error {
	part, err := os.CreateTemp(filepath.Dir(path), ".part-*")
	if err != nil {
		return err
	}
	defer os.Remove(part.Name())
	_, err = part.Write(content)
	if err := errors.Join(err, part.Chmod(0o644), part.Close()); err != nil {
		return err
	}
	return Rename(part.Name(), path)
}
