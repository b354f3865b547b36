// Package showing is about pages for finished work: how they are laid out, and which
// other sites may have them within their own. Source for the latter: Content Security
// Policy Level 3, 2.3.1 (host sources) and 6.4.2 (frame-ancestors).
package showing

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"aftergust/core/form/kind"
)

// A Layout is how a showing lays its pieces out.
type Layout string

// The layouts.
const (
	Scroll Layout = "scroll"
	Stage  Layout = "stage"
)

// A LayoutDescriptor is what is known of one layout.
type LayoutDescriptor struct {
	Layout Layout
	kind.Words
}

// Layouts are all layouts.
var Layouts = kind.Of(func(d LayoutDescriptor) Layout { return d.Layout },
	LayoutDescriptor{Scroll, kind.Words{Word: "One below another", Means: "Each piece large, in the order that you give.", Offered: true}},
	LayoutDescriptor{Stage, kind.Words{Word: "One large", Means: "One piece at a time, the running order beside it; the next plays by itself.", Offered: true}},
)

// Most of what one showing has.
const (
	MostPieces = 200
	MostSites  = 20
)

// What is wrong with a site, in words for whoever typed it.
var (
	errScheme = errors.New("only pages that come over https may have it within them")
	errHost   = errors.New("that is not the address of a site; write it as kelpwick.example")
	errWide   = errors.New("that would be every site under one ending; name them one by one")
	errMany   = fmt.Errorf("a showing may be within %d sites at most", MostSites)
)

// host is a host source without its scheme: names of a domain with at least two parts,
// perhaps with any part before them, and a port.
var host = regexp.MustCompile(`^(\*\.)?([a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?\.)+[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?(:[0-9]{1,5})?$`)

// A SiteError says which of the sites that somebody typed is none, and why.
type SiteError struct {
	Typed string
	Err   error
}

func (e *SiteError) Error() string { return "“" + e.Typed + "”: " + e.Err.Error() }
func (e *SiteError) Unwrap() error { return e.Err }

// Sites reads sites as people type them, with spaces, commas or lines between them: as
// host sources, such as https://kelpwick.example or https://*.kelpwick.example.
func Sites(typed string) ([]string, error) {
	sites := []string{}
	for _, word := range strings.FieldsFunc(typed, func(r rune) bool { return strings.ContainsRune(" ,;\t\r\n", r) }) {
		site, err := site(word)
		if err != nil {
			return nil, &SiteError{word, err}
		}
		if !slices.Contains(sites, site) {
			sites = append(sites, site)
		}
	}
	if len(sites) > MostSites {
		return nil, &SiteError{sites[MostSites], errMany}
	}
	return sites, nil
}

func site(word string) (string, error) {
	name := strings.ToLower(word)
	if scheme, rest, ok := strings.Cut(name, "://"); ok {
		if scheme != "https" {
			return "", errScheme
		}
		name = rest
	}
	name, _, _ = strings.Cut(name, "/")
	if below, all := strings.CutPrefix(name, "*."); all && !strings.Contains(below, ".") {
		return "", errWide
	}
	if !host.MatchString(name) {
		return "", errHost
	}
	return "https://" + name, nil
}

// Ancestors is what frame-ancestors says for a showing that sites may have within
// their own pages; beside them only we ourselves may, to look at it before it is shown.
func Ancestors(sites []string) string { return strings.Join(append([]string{"'self'"}, sites...), " ") }
