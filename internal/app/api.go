package app

import (
	"aftergust/internal/parts/arrive"
	"aftergust/internal/web"

	"github.com/danielgtaylor/huma/v2"
)

// apiVersion is the version of the API, which changes when it does, not with each build.
const apiVersion = "1"

func describe() huma.Config {
	config := huma.DefaultConfig("Aftergust", apiVersion)
	config.Info.Description = "Everything that the interface does goes over this API. Members sign in or send a bearer token made by `aftergust token`; " +
		"recipients are known by the secret in their link. Files are uploaded by tus 1.0.0 at " + arrive.Base +
		" with the metadata filename and either place (with folder and tags), package (with folder) or item. " +
		"Originals lie at /r/{link}/take/{item}/{name}, all of them as one ZIP at /r/{link}/zip/{name}; both take ranges. " +
		"/api/v1/live and /api/v1/r/{link}/live send server-sent events {package, what}."
	config.DocsPath = "" // the page of the library fetches scripts from outside; ours is readableDocs
	config.OpenAPIPath = "/openapi"
	config.CreateHooks = nil // no $schema links in bodies
	describeKinds(config.Components.Schemas)
	config.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"token":   {Type: "http", Scheme: "bearer"},
		"session": {Type: "apiKey", In: "cookie", Name: web.SessionCookie},
	}
	return config
}
