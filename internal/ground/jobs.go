package ground

import "time"

// A Job is work that goes on after the request: its kind is stable, its
// arguments are identifiers only. Every job may run twice.
type Job interface{ Kind() string }

// A Timed job is not worked before a moment.
type Timed interface{ NotBefore() time.Time }

// MediaJob reads a version's facts and makes its poster, pages and peaks, then
// asks for a proxy.
type MediaJob struct {
	VersionID string `json:"version_id"`
	Again     bool   `json:"again,omitempty"` // the recipe changed; what there is stays in use meanwhile
}

// Kind names the job.
func (MediaJob) Kind() string { return "media" }

// ProxyJob makes the playable proxy of a film or sound.
type ProxyJob struct {
	VersionID string `json:"version_id"`
}

// Kind names the job.
func (ProxyJob) Kind() string { return "proxy" }

// AlignJob compares a version with those next to it, once all of them have a proxy.
type AlignJob struct {
	VersionID string `json:"version_id"`
}

// Kind names the job.
func (AlignJob) Kind() string { return "align" }

// PictureJob makes an uploaded picture the poster of a version: the picture of a link.
type PictureJob struct {
	VersionID string `json:"version_id"`
	BlobID    string `json:"blob_id"`
	Mime      string `json:"mime"`
}

// Kind names the job.
func (PictureJob) Kind() string { return "picture" }

// DigestJob computes the SHA-256 of a blob.
type DigestJob struct {
	BlobID string `json:"blob_id"`
}

// Kind names the job.
func (DigestJob) Kind() string { return "digest" }

// LetterJob hands one letter to SMTP.
type LetterJob struct {
	LetterID string `json:"letter_id"`
}

// Kind names the job.
func (LetterJob) Kind() string { return "letter" }

// HookJob sends one message to another program.
type HookJob struct {
	DeliveryID string `json:"delivery_id"`
	ByHand     bool   `json:"by_hand,omitempty"` // somebody asked for it: once, and also where the hook is off
}

// Kind names the job.
func (HookJob) Kind() string { return "hook" }

// ClearJob clears packages whose hold is over and deletes bytes that nothing needs.
type ClearJob struct{}

// Kind names the job.
func (ClearJob) Kind() string { return "clear" }

// RemakeJob finds versions whose previews an older recipe made.
type RemakeJob struct{}

// Kind names the job.
func (RemakeJob) Kind() string { return "remake" }

// LinkJob chains what happened lately (core/record/proof).
type LinkJob struct{}

// Kind names the job.
func (LinkJob) Kind() string { return "link" }

// SweepJob removes files that a process left behind when it was killed.
type SweepJob struct{}

// Kind names the job.
func (SweepJob) Kind() string { return "sweep" }

// InspectJob looks after bytes that are kept: that they are there, and, a share each day,
// that they are what arrived.
type InspectJob struct{}

// Kind names the job.
func (InspectJob) Kind() string { return "inspect" }

// GoJob sends the drafts that go by themselves, and tells people what was added to
// their packages, where the moment for that has come.
type GoJob struct {
	At time.Time `json:"at,omitzero"`
}

// Kind names the job.
func (GoJob) Kind() string { return "go" }

// NotBefore is when the moment comes.
func (j GoJob) NotBefore() time.Time { return j.At }

// TextJob hands one text message to the gateway.
type TextJob struct {
	TextID string `json:"text_id"`
}

// Kind names the job.
func (TextJob) Kind() string { return "text" }

// TellJob writes the letters that tell people of a studio what has happened, where the
// moment for that has come.
type TellJob struct {
	At time.Time `json:"at,omitzero"`
}

// Kind names the job.
func (TellJob) Kind() string { return "tell" }

// NotBefore is when the moment comes.
func (j TellJob) NotBefore() time.Time { return j.At }

// RemindJob looks at packages for reminders that are due.
type RemindJob struct{}

// Kind names the job.
func (RemindJob) Kind() string { return "remind" }

// ConfirmJob closes the gaps in the receipts for a version that somebody's page found whole on
// their disk, where receipts got lost.
type ConfirmJob struct {
	LineID    string    `json:"line_id" river:"unique"`
	VersionID string    `json:"version_id" river:"unique"`
	At        time.Time `json:"at,omitzero"`
}

// Kind names the job.
func (ConfirmJob) Kind() string { return "confirm" }

// NotBefore is when all receipts have been written down that did not get lost.
func (j ConfirmJob) NotBefore() time.Time { return j.At }

// EndJob brings the end of a package nearer, where that waited for what people have
// done by now.
type EndJob struct {
	ParcelID string `json:"parcel_id"`
}

// Kind names the job.
func (EndJob) Kind() string { return "end" }
