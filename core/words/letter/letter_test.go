package letter_test

import (
	"testing"

	. "aftergust/core/words/letter"

	"github.com/stretchr/testify/assert"
)

func TestWhoReadsALetterAndWhetherItGoesWhenThePackageIsShut(t *testing.T) {
	for kind, want := range map[Kind]Descriptor{
		Delivery: {To: Line, Open: true}, Reminder: {To: Line, Open: true}, News: {To: Line, Open: true},
		Round: {To: Line, Open: true}, Talk: {To: Line, Open: true}, Code: {To: Line, Open: true},
		Blocked: {To: Producer}, Asked: {To: Producer}, Reset: {To: Member},
		Invitation: {To: Member}, Confirm: {To: Member}, Lock: {To: Member}, Notices: {To: Member}, // a producer hears of it when all is shut
	} {
		d := All.Get(kind)
		assert.Equal(t, want.To, d.To, kind)
		assert.Equal(t, want.Open, d.Open, kind)
		assert.NotEmpty(t, d.Word, kind)
		assert.NotEmpty(t, d.Means, kind)
	}
	assert.Equal(t, []Kind{Delivery, Reminder, News, Round, Talk, Code, Blocked, Reset,
		Invitation, Confirm, Lock, Notices, Asked}, All.Names())
	assert.Equal(t, []State{Waiting, Sent, Bounced, Refused}, States.Names())
}
