// Package intact writes files that are whole or not there.
package intact

import (
	"bufio"
	"fmt"
	"io"
	"os"
	"path/filepath"
)

// Write puts a file beside its final name first, so that a failure leaves no half file.
func Write(name string, fill func(io.Writer) error) (err error) {
	f, err := os.CreateTemp(filepath.Dir(name), ".willowherb-*")
	if err != nil {
		return fmt.Errorf("cannot write beside %s: %w", name, err)
	}
	defer func() {
		if err != nil {
			_ = os.Remove(f.Name())
		}
	}()
	b := bufio.NewWriterSize(f, 1<<20)
	err = fill(b)
	for _, step := range []func() error{b.Flush, func() error { return f.Chmod(0o644) }, f.Close} {
		if err == nil {
			err = step()
		}
	}
	if err == nil {
		err = os.Rename(f.Name(), name)
	}
	return err
}
