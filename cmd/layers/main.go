// Command layers draws the structure of internal into CONTRIBUTING.md, from what the packages
// import: each layer with its packages, and for each package what it stands on in its own layer.
// With -check it says whether the drawing is as the code is.
package main

import (
	"bytes"
	"errors"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"slices"
	"strings"
)

// layers are the folders of internal, the highest first; style_test.go holds their order.
var layers = []struct{ folder, about string }{
	{"dev", "tests and the demo"},
	{"app", "wires one process together"},
	{"parts", "the parts of the work, from route to row"},
	{"web", "HTTP that all parts share"},
	{"files", "bytes"},
	{"who", "who is asking"},
	{"out", "letters and text messages"},
	{"ground", "what everything stands on"},
}

const (
	begin = "<!-- drawn by make openapi -->\n"
	end   = "<!-- end of the drawing -->\n"
	page  = "CONTRIBUTING.md"
)

func main() {
	check := flag.Bool("check", false, "change nothing; fail if the drawing is stale")
	flag.Parse()
	if err := run(*check); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(check bool) error {
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}} {{join .Imports " "}}`, "./internal/...").Output()
	if err != nil {
		return fmt.Errorf("go list: %w", err)
	}
	was, err := os.ReadFile(page)
	if err != nil {
		return err
	}
	before, rest, ok := bytes.Cut(was, []byte(begin))
	_, after, closed := bytes.Cut(rest, []byte(end))
	if !ok || !closed {
		return fmt.Errorf("%s has no place for the drawing: put %q and %q into it", page, begin, end)
	}
	now := slices.Concat(before, []byte(begin), draw(string(out)), []byte(end), after)
	switch {
	case bytes.Equal(was, now):
		return nil
	case check:
		return errors.New(page + " shows another structure than the code has: run make openapi")
	}
	return os.WriteFile(page, now, 0o644)
}

// draw is the drawing of what go list says: a package and its imports on each line.
func draw(list string) []byte {
	stands := map[string][]string{} // package, without the module: what it imports
	for line := range strings.Lines(list) {
		fields := strings.Fields(line)
		name := strings.TrimPrefix(fields[0], "aftergust/internal/")
		stands[name] = nil
		for _, imported := range fields[1:] {
			if local, ok := strings.CutPrefix(imported, "aftergust/internal/"); ok {
				stands[name] = append(stands[name], local)
			}
		}
	}
	var b bytes.Buffer
	b.WriteString("```\n")
	for _, l := range layers {
		fmt.Fprintf(&b, "%-8s %s\n", l.folder, l.about)
		var names []string
		for name := range stands {
			if strings.HasPrefix(name, l.folder+"/") {
				names = append(names, name)
			}
		}
		slices.Sort(names)
		for _, name := range names {
			var beside []string
			for _, other := range stands[name] {
				if short, ok := strings.CutPrefix(other, l.folder+"/"); ok {
					beside = append(beside, short)
				}
			}
			arrow := ""
			if len(beside) > 0 {
				arrow = " → " + strings.Join(beside, " ")
			}
			fmt.Fprintf(&b, "  %-12s%s\n", strings.TrimPrefix(name, l.folder+"/"), arrow)
		}
		b.WriteString(strings.Repeat(" ", 9) + "↓\n")
	}
	fmt.Fprintf(&b, "%-8s %s\n", "core", "rules and computation")
	b.WriteString("```\n")
	return b.Bytes()
}
