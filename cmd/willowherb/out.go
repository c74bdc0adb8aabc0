package main

import (
	"io"
	"path/filepath"
	"slices"
	"strings"

	"willowherb/format/exr"
	"willowherb/format/intact"
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
	return intact.Write(name, func(out io.Writer) error {
		switch strings.ToLower(filepath.Ext(name)) {
		case ".exr":
			return exr.Write(out, rgb, w, h, exr.ZIP)
		case ".hdr":
			return picture.WriteHDR(out, rgb, w, h)
		}
		return png(out)
	})
}
