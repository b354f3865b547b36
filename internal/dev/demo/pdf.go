package demo

import (
	"fmt"
	"strings"
)

// creditsPDF is a document of three pages, written by hand (PDF 1.4, ISO 32000).
func creditsPDF() string {
	pages := [][]string{
		{"Lifeboat", "A film in four parts for Kelpwick Harbour Museum", "", "Direction   Marit Oyelaran", "Camera   Sel Brandvoort",
			"Sound   Ines Corvo"},
		{"Thanks", "", "The crew of the slipway", "Hanne Orrick and the museum's volunteers", "Everyone who brought a photograph"},
		{"Music", "", "Slack Water   Ines Corvo", "Three Bells   Ines Corvo", "", "Low Tide Pictures"},
	}
	var b strings.Builder
	var offsets []int
	object := func(body string) {
		offsets = append(offsets, b.Len())
		fmt.Fprintf(&b, "%d 0 obj\n%s\nendobj\n", len(offsets), body)
	}
	b.WriteString("%PDF-1.4\n")
	object("<< /Type /Catalog /Pages 2 0 R >>")
	kids := ""
	for i := range pages {
		kids += fmt.Sprintf("%d 0 R ", 4+2*i)
	}
	object(fmt.Sprintf("<< /Type /Pages /Kids [%s] /Count %d >>", kids, len(pages)))
	object("<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica /Encoding /WinAnsiEncoding >>")
	for i, lines := range pages {
		object(fmt.Sprintf("<< /Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] /Contents %d 0 R /Resources << /Font << /F 3 0 R >> >> >>",
			5+2*i))
		var text strings.Builder
		text.WriteString("0.08 0.35 0.29 rg 60 770 475 2 re f 0.11 0.17 0.18 rg BT /F 30 Tf 60 720 Td (" + lines[0] + ") Tj /F 14 Tf ")
		for _, line := range lines[1:] {
			text.WriteString("0 -28 Td (" + strings.NewReplacer("(", `\(`, ")", `\)`).Replace(line) + ") Tj ")
		}
		fmt.Fprintf(&text, "ET BT /F 10 Tf 60 60 Td (%d of %d) Tj ET", i+1, len(pages))
		object(fmt.Sprintf("<< /Length %d >>\nstream\n%s\nendstream", text.Len(), text.String()))
	}
	table := b.Len()
	fmt.Fprintf(&b, "xref\n0 %d\n0000000000 65535 f \n", len(offsets)+1)
	for _, at := range offsets {
		fmt.Fprintf(&b, "%010d 00000 n \n", at)
	}
	fmt.Fprintf(&b, "trailer\n<< /Size %d /Root 1 0 R >>\nstartxref\n%d\n%%%%EOF\n", len(offsets)+1, table)
	return b.String()
}
