// Package wrong has the error of reading a value that a person wrote: what is wrong with it, and what would be right.
package wrong

import (
	"errors"
	"fmt"
)

// Error says what is wrong with a value, and, where that is known, what to write in its place. Both are sentences
// without their full stop.
type Error struct{ What, Right string }

// Error is what is wrong, alone.
func (e *Error) Error() string { return e.What }

// Value makes an Error; right may be empty.
func Value(right, format string, args ...any) error {
	return &Error{fmt.Sprintf(format, args...), right}
}

// Right is what an error, or one that it wraps, knows to write in the place of the value; empty when it knows nothing.
func Right(err error) string {
	if e, is := errors.AsType[*Error](err); is {
		return e.Right
	}
	return ""
}
