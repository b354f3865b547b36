package coverage

// What may have arrived of a file without anybody hearing of it, in bytes: what a killed process
// had handed over and what of its last second of receipts was not written down yet.
const (
	leastUnheard = 16 << 20
	shareUnheard = 10 // or a tenth of the file
)

// Unheard are the gaps in what was acknowledged of a file of size bytes that may be closed once
// somebody has shown that they have the whole of it. ok is false where there are none, or where
// more is missing than can have got lost on our side: half of the file, or 16 MiB, or a tenth of
// a larger one. Whoever says they have a file of which hardly anything went out has it from
// elsewhere.
func (s Set) Unheard(size int64) (gaps []Range, ok bool) {
	gaps = s.Gaps(Range{0, size})
	missing := size - s.Clip(Range{0, size}).Len()
	return gaps, missing > 0 && missing <= min(size/2, max(leastUnheard, size/shareUnheard))
}
