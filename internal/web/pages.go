package web

import (
	"bytes"
	"cmp"
	"embed"
	"html/template"
	"io/fs"
	"net/http"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
)

// interfaceHandler serves the built interface: files as they are, and its one
// page for every other address, which it draws by itself.
func interfaceHandler(files fs.FS) (http.Handler, error) {
	page := Index(files)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method != http.MethodGet && r.Method != http.MethodHead {
			w.WriteHeader(http.StatusMethodNotAllowed)
			return
		}
		name := strings.TrimPrefix(path.Clean(r.URL.Path), "/")
		if info, err := fs.Stat(files, name); err == nil && !info.IsDir() && name != "index.html" {
			serveFile(w, r, files, name)
			return
		}
		if strings.HasPrefix(name, "_app/") || strings.HasPrefix(name, "api/") || path.Ext(name) == ".js" {
			http.NotFound(w, r)
			return
		}
		ServeIndex(w, r, page)
	}), nil
}

// Index is the page from which the interface starts.
func Index(files fs.FS) []byte {
	page, err := fs.ReadFile(files, "index.html")
	if err != nil {
		return []byte("<!doctype html><title>Aftergust</title><p>The interface is not built. Run make build.</p>")
	}
	return page
}

// ServeIndex answers with a page of the interface.
func ServeIndex(w http.ResponseWriter, r *http.Request, page []byte) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-cache")
	http.ServeContent(w, r, "index.html", time.Time{}, bytes.NewReader(page))
}

// serveFile sends a file of the interface, compressed beforehand where the build made that.
func serveFile(w http.ResponseWriter, r *http.Request, files fs.FS, name string) {
	if strings.HasPrefix(name, "_app/immutable/") {
		w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
	}
	for _, c := range []struct{ suffix, encoding string }{{".br", "br"}, {".gz", "gzip"}} {
		if !strings.Contains(r.Header.Get("Accept-Encoding"), c.encoding) {
			continue
		}
		packed, err := fs.ReadFile(files, name+c.suffix)
		if err != nil {
			continue
		}
		w.Header().Set("Content-Encoding", c.encoding)
		w.Header().Add("Vary", "Accept-Encoding")
		http.ServeContent(w, r, name, time.Time{}, bytes.NewReader(packed)) // its type follows from the name
		return
	}
	http.ServeFileFS(w, r, files, name)
}

//go:embed docs.html
var docsFile embed.FS

var docsPage = template.Must(template.ParseFS(docsFile, "docs.html"))

type docsOperation struct {
	Method, Path, ID, Summary, Tag string
	Request, Response              string
	Parameters                     []*huma.Param
}

// readableDocs is the OpenAPI document as a page: GET /docs/api.
func (a *Web) Docs(w http.ResponseWriter, _ *http.Request) {
	document := a.openapi.OpenAPI()
	var operations []docsOperation
	for address, item := range document.Paths {
		for method, op := range map[string]*huma.Operation{"GET": item.Get, "POST": item.Post, "PUT": item.Put, "PATCH": item.Patch,
			"DELETE": item.Delete} {
			if op == nil {
				continue
			}
			line := docsOperation{Method: method, Path: address, ID: op.OperationID, Summary: op.Summary, Tag: op.Tags[0], Parameters: op.Parameters}
			if op.RequestBody != nil {
				line.Request = schemaName(op.RequestBody.Content)
			}
			for _, status := range []string{"200", "201"} {
				if answer := op.Responses[status]; answer != nil {
					line.Response = schemaName(answer.Content)
				}
			}
			operations = append(operations, line)
		}
	}
	slices.SortFunc(operations, func(x, y docsOperation) int {
		return cmp.Or(-cmp.Compare(x.Tag, y.Tag), cmp.Compare(x.Path, y.Path), cmp.Compare(x.Method, y.Method))
	})
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_ = docsPage.Execute(w, map[string]any{ // the reader may have gone
		"Info": document.Info, "Operations": operations, "Schemas": document.Components.Schemas.Map(),
	})
}

func schemaName(content map[string]*huma.MediaType) string {
	for _, kind := range content {
		if kind.Schema == nil {
			continue
		}
		if kind.Schema.Ref != "" {
			return path.Base(kind.Schema.Ref)
		}
		if kind.Schema.Items != nil && kind.Schema.Items.Ref != "" {
			return "list of " + path.Base(kind.Schema.Items.Ref)
		}
		return kind.Schema.Type
	}
	return ""
}
