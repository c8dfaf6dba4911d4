package plan

import "wendrik/internal/core/diag"

// The codes of findings about the form of a plan.
const (
	empty          diag.Code = "empty"
	badVersion     diag.Code = "version"
	tooMany        diag.Code = "too-many"
	nothingHere    diag.Code = "nothing"
	aliasExpansion diag.Code = "alias-expansion"
	wrongKind      diag.Code = "wrong-kind"
	duplicateKey   diag.Code = "duplicate-key"
	missingKey     diag.Code = "missing-key"
	unknownKey     diag.Code = "unknown-key"
	reservedName   diag.Code = "reserved-name"
	badName        diag.Code = "bad-name"
	tagged         diag.Code = "tag"
	hostBits       diag.Code = "host-bits"
	badRange       diag.Code = "bad-range"
	badAddress     diag.Code = "bad-address"
	badFlow        diag.Code = "bad-flow"
	badFlag        diag.Code = "bad-flag"
	badNumber      diag.Code = "bad-number"
	badSize        diag.Code = "bad-size"
	unknownWord    diag.Code = "unknown-word"
	badGrowth      diag.Code = "bad-growth"
	badPattern     diag.Code = "bad-pattern"
	badPorts       diag.Code = "bad-ports"
	badRule        diag.Code = "bad-rule"
	badExpectation diag.Code = "bad-expectation"
	unknownPattern diag.Code = "unknown-pattern"
	patternLoop    diag.Code = "pattern-loop"
)
