package coverage

// The most of a file that can have arrived without a receipt, in bytes: what a killed process
// had handed over to the kernel, and what it had received in its last second but not yet stored.
const (
	leastUnheard = 16 << 20
	shareUnheard = 10 // or a tenth of the file
)

// Unheard returns the gaps in the receipts for a file of size bytes, and reports whether they may
// be closed once the recipient's page has found the whole file on disk. They may not where
// nothing is missing, or where more is missing than a killed process can have lost: more than
// half of the file, or more than 16 MiB and a tenth of it. A recipient who has a file of which
// little was sent got it from somewhere else.
func (s Set) Unheard(size int64) (gaps []Range, ok bool) {
	gaps = s.Gaps(Range{0, size})
	missing := size - s.Clip(Range{0, size}).Len()
	return gaps, missing > 0 && missing <= min(size/2, max(leastUnheard, size/shareUnheard))
}
