// Package sheets reads what a sheet says: a short text in Markdown with lists to tick
// (CommonMark, with task lists, tables and strikethrough).
package sheets

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"html"
	"slices"
	"strings"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/extension"
	extensions "github.com/yuin/goldmark/extension/ast"
	"github.com/yuin/goldmark/parser"
	"github.com/yuin/goldmark/renderer"
	"github.com/yuin/goldmark/text"
	"github.com/yuin/goldmark/util"
)

// sheets renders Markdown with lists to tick. Raw HTML and addresses that run
// scripts are left out, which is the library's default.
var sheets = goldmark.New(
	goldmark.WithExtensions(extension.TaskList, extension.Strikethrough, extension.Linkify, extension.Table),
	goldmark.WithParserOptions(parser.WithASTTransformers(util.Prioritized(outside{}, 500))),
	goldmark.WithRendererOptions(renderer.WithNodeRenderers(util.Prioritized(boxes{}, 100))),
)

// HTML is a sheet as HTML that is safe to show.
func HTML(source string) string {
	var out bytes.Buffer
	if err := sheets.Convert([]byte(source), &out); err != nil {
		return ""
	}
	return out.String()
}

// outside changes what leads out of a sheet: links open beside the page, and
// pictures, which would tell others who reads it, go.
type outside struct{}

func (outside) Transform(doc *ast.Document, _ text.Reader, _ parser.Context) {
	var pictures []ast.Node
	_ = ast.Walk(doc, func(n ast.Node, entering bool) (ast.WalkStatus, error) { // which never fails, as nothing in it does
		if !entering {
			return ast.WalkContinue, nil
		}
		switch n.Kind() {
		case ast.KindLink, ast.KindAutoLink:
			n.SetAttributeString("target", []byte("_blank"))
			n.SetAttributeString("rel", []byte("noopener noreferrer"))
		case ast.KindImage:
			pictures = append(pictures, n)
			return ast.WalkSkipChildren, nil
		}
		return ast.WalkContinue, nil
	})
	for _, p := range pictures {
		p.Parent().RemoveChild(p.Parent(), p)
	}
}

// boxes writes the boxes of a list to tick, named for whoever does not see them, and
// with the key of their task.
type boxes struct{}

func (boxes) RegisterFuncs(r renderer.NodeRendererFuncRegisterer) {
	r.Register(extensions.KindTaskCheckBox, func(w util.BufWriter, source []byte, n ast.Node, entering bool) (ast.WalkStatus, error) {
		if !entering {
			return ast.WalkContinue, nil
		}
		task, state := read(n.(*extensions.TaskCheckBox), source), ""
		if task.Done {
			state = `checked="" `
		}
		_, err := fmt.Fprintf(w, `<input %sdisabled="" type="checkbox" data-task="%s" aria-label="%s"> `, state, task.Key, html.EscapeString(task.Text))
		return ast.WalkContinue, err
	})
}

// A Task is something in a sheet that can be ticked.
type Task struct {
	Key  string // made of its words, so that it stays the same task when the sheet is written anew around it
	Text string // as it reads
	Done bool   // ticked by whoever wrote the sheet
}

// Tasks are what can be ticked in a sheet, in order. Those of the same words are one.
func Tasks(source string) []Task {
	var out []Task
	bytes := []byte(source)
	_ = ast.Walk(sheets.Parser().Parse(text.NewReader(bytes)), func(n ast.Node, entering bool) (ast.WalkStatus, error) { // which never fails
		if box, is := n.(*extensions.TaskCheckBox); is && entering {
			task := read(box, bytes)
			if !slices.ContainsFunc(out, func(t Task) bool { return t.Key == task.Key }) {
				out = append(out, task)
			}
		}
		return ast.WalkContinue, nil
	})
	return out
}

// read is the task of a box: the words of the line on which it stands.
func read(box *extensions.TaskCheckBox, source []byte) Task {
	var words strings.Builder
	for n := box.NextSibling(); n != nil; n = n.NextSibling() {
		_ = ast.Walk(n, func(n ast.Node, entering bool) (ast.WalkStatus, error) { // which never fails
			switch n := n.(type) {
			case *ast.Text:
				if entering {
					words.Write(n.Segment.Value(source))
					if n.SoftLineBreak() || n.HardLineBreak() {
						words.WriteByte(' ')
					}
				}
			case *ast.String:
				if entering {
					words.Write(n.Value)
				}
			case *ast.AutoLink:
				if entering {
					words.Write(n.Label(source))
				}
			}
			return ast.WalkContinue, nil
		})
	}
	said := strings.Join(strings.Fields(words.String()), " ")
	sum := sha256.Sum256([]byte(strings.ToLower(said)))
	return Task{Key: hex.EncodeToString(sum[:8]), Text: said, Done: box.IsChecked}
}
