package expiry

import "time"

// How long things are kept after they are over, so that they can be had back.
const (
	HoldAfterEnd    = 14 * 24 * time.Hour  // the bytes of a package that ended: it can be extended
	LetGoHold       = 30 * 24 * time.Hour  // what was deleted: it can be taken back
	AbandonedUpload = 7 * 24 * time.Hour   // an upload that nobody goes on with
	UploadRecord    = 30 * 24 * time.Hour  // that an upload has been, once it is over
	NoticeRecord    = 365 * 24 * time.Hour // that somebody was told of something; the event stays
	ViewingRecord   = 730 * 24 * time.Hour // which stretches somebody looked at; what was played stays in the ledger
	HookRecord      = 30 * 24 * time.Hour  // what became of a message to another program
	ClearingGrace   = time.Hour            // bytes that nothing refers to any more
	LeftBehind      = 8 * 24 * time.Hour   // files that nobody knows of: longer than any upload lives
	LeftWork        = 24 * time.Hour       // folders of media work: longer than any work takes
	ChosenHold      = 7 * 24 * time.Hour   // the address of a ZIP of chosen things
)
