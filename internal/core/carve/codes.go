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
	noSize     diag.Code = "no-size"
	noZones    diag.Code = "no-zones"
	sizeLimit  diag.Code = "size-limit"
)
