package receive

// WriteTo lets receipts be written elsewhere, which may fail.
func (r *Recorder) WriteTo(elsewhere covers) { r.covers = elsewhere }
