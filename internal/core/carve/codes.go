package carve

import "wendrik/internal/core/diag"

// The codes of what gets no range.
const (
	blockHeld  diag.Code = "block-held"
	noFamily   diag.Code = "no-family"
	noRange    diag.Code = "no-range"
	noRoom     diag.Code = "no-room"
	wouldBreak diag.Code = "would-break"
	newMeaning diag.Code = "new-meaning"
	noZones    diag.Code = "no-zones"
	sizeLimit  diag.Code = "size-limit"

	// NoSize is of a thing of which nothing says how large it is to be.
	NoSize diag.Code = "no-size"
)
