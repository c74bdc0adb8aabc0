package main

import (
	"bufio"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"willowherb/format/exr"
	"willowherb/format/picture"
)

// pictureName reports a file name that ends in none of the kinds that can be written.
func pictureName(name string, kinds ...string) error {
	if !slices.Contains(kinds, strings.ToLower(filepath.Ext(name))) {
		last := len(kinds) - 1
		if last == 0 {
			return usage("--out %q: end its name in %s", name, kinds[0])
		}
		return usage("--out %q: end its name in %s or %s", name, strings.Join(kinds[:last], ", "), kinds[last])
	}
	return nil
}

// writePicture writes linear light as the name's ending says; png is what is for a screen.
func writePicture(name string, rgb []float32, w, h int, png func(io.Writer) error) error {
	return writeFile(name, func(out io.Writer) error {
		switch strings.ToLower(filepath.Ext(name)) {
		case ".exr":
			return exr.Write(out, rgb, w, h, exr.ZIP)
		case ".hdr":
			return picture.WriteHDR(out, rgb, w, h)
		}
		return png(out)
	})
}

// writeFile puts a file beside its final name first, so that a failure leaves no half file.
func writeFile(name string, fill func(io.Writer) error) (err error) {
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
