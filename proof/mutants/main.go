// Command mutants breaks the code on purpose, one thing at a time, in a copy of the
// checkout, and lists the breakages that no test notices. It takes some minutes and is
// no part of the checks; its last result is in docs/mutants.md. With words it tries only the
// breakages that are told with one of them.
package main

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// mutant is a breakage: in a file, what stands there and what is put in its place; and
// the packages whose tests should notice.
type mutant struct {
	what, file, old, new string
	tests                string
}

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, "mutants:", err)
		os.Exit(1)
	}
}

func run() error {
	dir, err := os.MkdirTemp("", "mutants")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	for _, part := range []string{"blob", "core", "demo", "farm", "format", "journal", "plan", "proof", "refine", "stage", "store"} {
		if err := os.CopyFS(filepath.Join(dir, part), os.DirFS(part)); err != nil {
			return err
		}
	}
	for _, f := range []string{"go.mod", "go.sum"} {
		data, err := os.ReadFile(f)
		if err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(dir, f), data, 0o644); err != nil {
			return err
		}
	}
	missed, tried := 0, 0
	for i, m := range mutants {
		if words := os.Args[1:]; len(words) > 0 && !slices.ContainsFunc(words, func(w string) bool { return strings.Contains(m.what, w) }) {
			continue
		}
		tried++
		began := time.Now()
		verdict, err := m.try(dir)
		if err != nil {
			return fmt.Errorf("%s: %w", m.what, err)
		}
		fmt.Printf("%2d. %-58s %s (%d s)\n", i+1, m.what, verdict, int(time.Since(began).Seconds()))
		if !strings.HasPrefix(verdict, "noticed") {
			missed++
		}
	}
	fmt.Printf("%d of %d noticed\n", tried-missed, tried)
	if missed > 0 {
		os.Exit(1)
	}
	return nil
}

// try breaks the code in dir, runs the tests, and mends it again.
func (m *mutant) try(dir string) (verdict string, err error) {
	path := filepath.Join(dir, m.file)
	was, err := os.ReadFile(path)
	if err != nil {
		return "", err
	}
	if n := bytes.Count(was, []byte(m.old)); n != 1 {
		return "", fmt.Errorf("%q stands %d times in %s, not once", m.old, n, m.file)
	}
	if err := os.WriteFile(path, bytes.Replace(was, []byte(m.old), []byte(m.new), 1), 0o644); err != nil {
		return "", err
	}
	defer func() {
		if e := os.WriteFile(path, was, 0o644); err == nil {
			err = e
		}
	}()
	packages := strings.Fields(m.tests)
	build := exec.Command("go", append([]string{"vet"}, packages...)...)
	build.Dir = dir
	if out, err := build.CombinedOutput(); err != nil {
		return "", fmt.Errorf("does not build: %s", out)
	}
	test := exec.Command("go", append([]string{"test", "-short", "-vet=off", "-failfast"}, packages...)...)
	test.Dir = dir
	out, err := test.CombinedOutput()
	if err == nil {
		return "NOT NOTICED", nil
	}
	for line := range strings.SplitSeq(string(out), "\n") {
		if name, ok := strings.CutPrefix(line, "--- FAIL: "); ok {
			return "noticed by " + strings.Fields(name)[0], nil
		}
	}
	return "noticed", nil
}
