package sheets_test

import (
	"strings"
	"testing"

	. "aftergust/internal/files/sheets"

	"github.com/stretchr/testify/assert"
)

const handOff = `# Hand-off

- [ ] Send the **logo** as [vector](https://kelpwick.example/logo)
- [x] Approve the title
- [ ] send the logo as  vector
- plain line
1. [ ] Name the
   narrator

<script>alert(1)</script> ![](https://elsewhere.example/seen.png)
`

func TestTheTasksOfASheetAreReadWithTheirWords(t *testing.T) {
	tasks := Tasks(handOff)
	said := []string{}
	for _, task := range tasks {
		said = append(said, task.Text)
		assert.Len(t, task.Key, 16)
	}
	assert.Equal(t, []string{"Send the logo as vector", "Approve the title", "Name the narrator"}, said, "the same words are one task")
	assert.Equal(t, []bool{false, true, false}, []bool{tasks[0].Done, tasks[1].Done, tasks[2].Done})
	assert.Empty(t, Tasks("no list here"))
	assert.Empty(t, Tasks("[ ] no list either"))
}

func TestATaskStaysTheSameWhenTheSheetIsWrittenAnewAroundIt(t *testing.T) {
	before, after := Tasks("- [ ] Approve the title\n- [ ] Send the logo"), Tasks("New words\n\n* [x] Send the *logo*\n")
	assert.Equal(t, before[1].Key, after[0].Key)
	assert.NotEqual(t, before[0].Key, after[0].Key)
}

func TestASheetIsShownWithBoxesThatAreNamedAndNothingThatRuns(t *testing.T) {
	html := HTML(handOff)
	assert.Contains(t, html, `data-task="`+Tasks(handOff)[0].Key+`" aria-label="Send the logo as vector"> Send the <strong>logo</strong>`)
	assert.Equal(t, 1, strings.Count(html, `checked=""`))
	assert.Contains(t, html, `target="_blank" rel="noopener noreferrer"`)
	assert.NotContains(t, html, "<script")
	assert.NotContains(t, html, "elsewhere.example")
	assert.Contains(t, HTML(`- [ ] "><script>alert(1)</script>`), `aria-label="&#34;&gt;`, "words are no markup in an attribute")
}
