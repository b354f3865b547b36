package app

import (
	"fmt"
	"reflect"
	"strings"
	"sync"

	"aftergust/core/file/place"
	"aftergust/core/file/thing"
	"aftergust/core/form/kind"
	"aftergust/core/link/access"
	"aftergust/core/link/door"
	"aftergust/core/link/right"
	"aftergust/core/link/role"
	"aftergust/core/link/scope"
	"aftergust/core/link/showing"
	"aftergust/core/link/state"
	"aftergust/core/media/letterhead"
	"aftergust/core/media/preview"
	"aftergust/core/notes/markers"
	"aftergust/core/notes/review"
	"aftergust/core/record/event"
	"aftergust/core/record/ledger"
	"aftergust/core/time/expiry"
	"aftergust/core/words/letter"
	"aftergust/core/words/notice"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/gather"

	"github.com/danielgtaylor/huma/v2"
)

// Every closed list that goes out has one descriptor in core. The API's enums, and
// from them the types of the interface, are made of those.

// names are the names of each kind, by its type. Every server of a process describes the same
// kinds, several at once.
var names sync.Map // of []any by reflect.Type

// an enumOf[K] stands for the kind K in the description of the API.
type enumOf[K ~string] string

// Schema is what the description says of a kind.
func (enumOf[K]) Schema(huma.Registry) *huma.Schema {
	all, _ := names.Load(reflect.TypeFor[K]())
	members, _ := all.([]any)
	return &huma.Schema{Type: huma.TypeString, Enum: members}
}

// describeKind says of a kind which members it has.
func describeKind[K ~string](r huma.Registry, members []K) {
	all := make([]any, len(members))
	for i, m := range members {
		all[i] = string(m)
	}
	names.Store(reflect.TypeFor[K](), all)
	r.RegisterTypeAlias(reflect.TypeFor[K](), reflect.TypeFor[enumOf[K]]())
}

// describeKinds describes all kinds that go out over the API.
func describeKinds(r huma.Registry) {
	describeKind(r, door.All.Names())
	describeKind(r, right.All.Names())
	describeKind(r, state.All.Names())
	describeKind(r, expiry.Kinds.Names())
	describeKind(r, thing.All.Names())
	describeKind(r, thing.Whats.Names())
	describeKind(r, place.All.Names())
	describeKind(r, preview.All.Names())
	describeKind(r, preview.States.Names())
	describeKind(r, letter.All.Names())
	describeKind(r, letter.States.Names())
	describeKind(r, event.All.Names())
	describeKind(r, letterhead.Typefaces.Names())
	describeKind(r, showing.Layouts.Names())
	describeKind(r, scope.Scopes.Names())
	describeKind(r, role.All.Names())
	describeKind(r, ledger.Statuses())
	describeKind(r, access.Reasons())
	describeKind(r, gather.UploadState("").Names())
	describeKind(r, follow.NeedKind("").Names())
	describeKind(r, follow.Order("").Names())
	describeKind(r, follow.Filter("").Names())
	describeKind(r, notice.All.Names())
	describeKind(r, notice.Cadences.Names())
	describeKind(r, review.Signs.Names())
	describeKind(r, review.Hows()[1:])
	describeKind(r, review.Verdicts.Names())
	describeKind(r, review.RoundStates())
}

// Choices are the words of the kinds that are chosen on screen, in order, as
// TypeScript: the interface has no list of its own.
func Choices() []byte {
	var b strings.Builder
	b.WriteString("// Made by `make openapi` from the descriptors in core. Do not edit.\n\n")
	b.WriteString("export interface Words {\n  name: string;\n  word: string;\n  means: string;\n  offered: boolean;\n}\n")
	choices(&b, "doors", door.All, func(d door.Descriptor) kind.Words { return d.Words })
	choices(&b, "rights", right.All, func(d right.Descriptor) kind.Words { return d.Words })
	choices(&b, "ends", expiry.Kinds, func(d expiry.Descriptor) kind.Words { return d.Words })
	choices(&b, "states", state.All, func(d state.Descriptor) kind.Words { return d.Words })
	choices(&b, "whats", thing.Whats, func(d thing.WhatDescriptor) kind.Words { return d.Words })
	choices(&b, "things", thing.All, func(d thing.Descriptor) kind.Words { return d.Words })
	choices(&b, "scopes", scope.Scopes, func(d scope.Descriptor) kind.Words { return d.Words })
	choices(&b, "roles", role.All, func(d role.Descriptor) kind.Words { return d.Words })
	choices(&b, "typefaces", letterhead.Typefaces, func(d letterhead.TypefaceDescriptor) kind.Words { return d.Words })
	choices(&b, "layouts", showing.Layouts, func(d showing.LayoutDescriptor) kind.Words { return d.Words })
	choices(&b, "notices", notice.All, func(d notice.Descriptor) kind.Words { return d.Words })
	choices(&b, "cadences", notice.Cadences, func(d notice.CadenceDescriptor) kind.Words { return d.Words })
	choices(&b, "signs", review.Signs, func(d review.SignDescriptor) kind.Words { return d.Words })
	choices(&b, "places", place.All, func(d place.Descriptor) kind.Words { return d.Words })
	choices(&b, "verdicts", review.Verdicts, func(d review.VerdictDescriptor) kind.Words { return d.Words })
	choices(&b, "noteFormats", markers.Formats, func(d markers.Descriptor) kind.Words { return d.Words })
	b.WriteString("\n// In which of them notes also come in, by the endings of their files.\nexport const notesIn: Record<string, string> = {\n")
	for _, f := range markers.Formats.Names() {
		if d := markers.Formats.Get(f); d.Reads {
			fmt.Fprintf(&b, "  '%s': '%s',\n", d.Suffix, f)
		}
	}
	b.WriteString("};\n")
	return []byte(b.String())
}

func choices[K ~string, D any](b *strings.Builder, name string, l kind.List[K, D], words func(D) kind.Words) {
	fmt.Fprintf(b, "\nexport const %s = [\n", name)
	for _, k := range l.Names() {
		w := words(l.Get(k))
		fmt.Fprintf(b, "  { name: '%s', word: '%s', means: '%s', offered: %t },\n", k, w.Word, w.Means, w.Offered)
	}
	b.WriteString("] as const satisfies readonly Words[];\n")
}
