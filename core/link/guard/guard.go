// Package guard describes what the security record of a studio keeps, and puts it
// into words: who came in, who tried to, and what changed of the locks.
package guard

import "aftergust/core/form/kind"

// A Kind is what happened.
type Kind string

// The kinds.
const (
	SignedIn        Kind = "signed_in"
	WrongPassword   Kind = "wrong_password"
	PasswordChanged Kind = "password_changed"
	SessionEnded    Kind = "session_ended"
	OthersEnded     Kind = "others_ended"
	TokenMade       Kind = "token_made"
	TokenRevoked    Kind = "token_revoked"

	Invited             Kind = "invited"
	InvitationWithdrawn Kind = "invitation_withdrawn"
	InvitationDeclined  Kind = "invitation_declined"
	Joined              Kind = "joined"
	RoleChanged         Kind = "role_changed"
	MemberRemoved       Kind = "member_removed"
	StudioRenamed       Kind = "studio_renamed"

	AddressChanged   Kind = "address_changed"
	AddressConfirmed Kind = "address_confirmed"

	AppAdded        Kind = "app_added"
	AppRemoved      Kind = "app_removed"
	PasskeyAdded    Kind = "passkey_added"
	PasskeyRemoved  Kind = "passkey_removed"
	RecoveryRenewed Kind = "recovery_renewed"
	RecoveryUsed    Kind = "recovery_used"
	WrongSecond     Kind = "wrong_second"
)

// A Descriptor is what is known of one kind.
type Descriptor struct {
	Kind Kind
	kind.Words
	say   func(who, about string) string
	Tells bool // whose lock it is hears of it by mail, since it may not have been them
}

// All are the kinds.
var All = kind.Of(func(d Descriptor) Kind { return d.Kind },
	Descriptor{SignedIn, word("Signed in"), func(who, about string) string { return who + " signed in" + with(about) }, false},
	Descriptor{WrongPassword, word("Wrong password"), func(who, about string) string {
		return "A wrong password was tried for " + who + with(about)
	}, false},
	Descriptor{PasswordChanged, word("Password changed"), func(who, _ string) string {
		return "The password of " + who + " was changed; whoever else was signed in with it is out"
	}, true},
	Descriptor{SessionEnded, word("Signed out elsewhere"), func(who, about string) string { return who + " signed out a browser" + named(about) }, false},
	Descriptor{OthersEnded, word("Signed out everywhere else"), func(who, _ string) string { return who + " signed out all other browsers" }, false},
	Descriptor{TokenMade, word("Token made"), func(who, about string) string { return who + " made a token" + named(about) }, false},
	Descriptor{TokenRevoked, word("Token revoked"), func(who, about string) string { return who + " revoked a token" + named(about) }, false},
	Descriptor{Invited, word("Invited"), func(who, about string) string { return who + " invited " + about }, false},
	Descriptor{InvitationWithdrawn, word("Invitation withdrawn"), func(who, about string) string {
		return who + " took the invitation of " + about + " back"
	}, false},
	Descriptor{InvitationDeclined, word("Invitation declined"), func(who, about string) string {
		return who + " declined the invitation of " + about
	}, false},
	Descriptor{Joined, word("Joined"), func(who, about string) string { return who + " joined, invited by " + about }, false},
	Descriptor{RoleChanged, word("Role changed"), func(who, about string) string { return who + " changed the role of " + about }, false},
	Descriptor{MemberRemoved, word("Member removed"), func(who, about string) string { return who + " took " + about + " out of the studio" }, false},
	Descriptor{AddressChanged, word("Address changed"), func(who, about string) string { return who + " changed their mail address to " + about }, false},
	Descriptor{AddressConfirmed, word("Address confirmed"), func(who, about string) string { return who + " confirmed " + about }, false},
	Descriptor{AppAdded, word("Codes on"), func(who, _ string) string { return who + " turned codes of an app on" }, true},
	Descriptor{AppRemoved, word("Codes off"), func(who, _ string) string { return who + " turned codes of an app off" }, true},
	Descriptor{PasskeyAdded, word("Passkey made"), func(who, about string) string { return who + " made a passkey" + named(about) }, true},
	Descriptor{PasskeyRemoved, word("Passkey removed"), func(who, about string) string { return who + " removed a passkey" + named(about) }, true},
	Descriptor{RecoveryRenewed, word("Recovery codes made"), func(who, _ string) string { return who + " made new recovery codes" }, true},
	Descriptor{RecoveryUsed, word("Recovery code used"), func(who, _ string) string { return who + " used a recovery code" }, true},
	Descriptor{WrongSecond, word("Wrong second factor"), func(who, about string) string {
		return "A wrong second factor was tried for " + who + with(about)
	}, false},
	Descriptor{StudioRenamed, word("Studio renamed"), func(who, about string) string { return who + " named the studio " + about }, false},
)

// Say puts what happened into one sentence. about is a browser, a token, a person or a name.
func Say(k Kind, who, about string) string {
	d := All.Get(k)
	if d.say == nil {
		return string(k) + "."
	}
	return d.say(who, about) + "."
}

func word(w string) kind.Words { return kind.Words{Word: w} }

func with(about string) string {
	if about == "" {
		return ""
	}
	return " with " + about
}

func named(about string) string {
	if about == "" {
		return ""
	}
	return ": " + about
}
