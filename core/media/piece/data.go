// Package piece is what is known of a file or of what stands beside files, such as a link or a
// swatch: its facts, and the words for them.
package piece

// Data is what a link, swatch or sheet says.
type Data struct {
	URL    string `json:"url,omitempty" doc:"of a link"`
	Colour string `json:"colour,omitempty" doc:"of a swatch, as #RRGGBB"`
	Text   string `json:"text,omitempty" doc:"of a sheet, in Markdown"`
}
