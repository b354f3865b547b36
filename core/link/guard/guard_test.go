package guard_test

import (
	"testing"

	. "aftergust/core/link/guard"

	"github.com/stretchr/testify/assert"
)

func TestEveryKindHasWords(t *testing.T) {
	for k, want := range map[Kind]string{
		SignedIn:        "Mara Quill signed in with curl.",
		WrongPassword:   "A wrong password was tried for Mara Quill with curl.",
		PasswordChanged: "The password of Mara Quill was changed; whoever else was signed in with it is out.",
		SessionEnded:    "Mara Quill signed out a browser: curl.",
		OthersEnded:     "Mara Quill signed out all other browsers.",
		TokenMade:       "Mara Quill made a token: curl.",
		TokenRevoked:    "Mara Quill revoked a token: curl.",

		Invited:             "Mara Quill invited curl.",
		InvitationWithdrawn: "Mara Quill took the invitation of curl back.",
		InvitationDeclined:  "Mara Quill declined the invitation of curl.",
		Joined:              "Mara Quill joined, invited by curl.",
		RoleChanged:         "Mara Quill changed the role of curl.",
		MemberRemoved:       "Mara Quill took curl out of the studio.",
		StudioRenamed:       "Mara Quill named the studio curl.",

		AddressChanged:   "Mara Quill changed their mail address to curl.",
		AddressConfirmed: "Mara Quill confirmed curl.",

		AppAdded:        "Mara Quill turned codes of an app on.",
		AppRemoved:      "Mara Quill turned codes of an app off.",
		PasskeyAdded:    "Mara Quill made a passkey: curl.",
		PasskeyRemoved:  "Mara Quill removed a passkey: curl.",
		RecoveryRenewed: "Mara Quill made new recovery codes.",
		RecoveryUsed:    "Mara Quill used a recovery code.",
		WrongSecond:     "A wrong second factor was tried for Mara Quill with curl.",
		"hatched":       "hatched.",
	} {
		assert.Equal(t, want, Say(k, "Mara Quill", "curl"))
	}
	assert.Equal(t, "Mara Quill signed in.", Say(SignedIn, "Mara Quill", ""))
	assert.Len(t, All.Names(), 23)
	var told []Kind
	for _, k := range All.Names() {
		if All.Get(k).Tells {
			told = append(told, k)
		}
	}
	assert.Equal(t, []Kind{PasswordChanged, AppAdded, AppRemoved, PasskeyAdded, PasskeyRemoved, RecoveryRenewed, RecoveryUsed}, told,
		"what lets somebody in, or keeps them out")
}

// Source: the marks by common practice.
func TestABrowserIsNamedForPeople(t *testing.T) {
	for agent, want := range map[string]string{
		"Mozilla/5.0 (X11; x86_64; rv:140.0) Something/1.0": "a computer",
		"Mozilla/5.0 (Linux) Something/1.0 Mobile/15E148":   "a phone",
		"Mozilla/5.0 (Tablet; rv:140.0) Something/1.0":      "a tablet",
		"something/8.5.0": "a program", "": "a program", "<script>": "a program",
	} {
		assert.Equal(t, want, Browser(agent), agent)
	}
}
