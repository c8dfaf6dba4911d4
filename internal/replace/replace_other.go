//go:build !linux

package replace

import "os"

// replace compares and renames; where the system has no exchange of names, a moment between the two remains.
func replace(target, before, after string) (linked bool, err error) {
	if err := unchanged(target, before); err != nil {
		return false, err
	}
	return false, Output(target, []byte(after))
}

// hold locks nothing: where the system has no such lock, the journal that is there is the lock.
func hold(*os.File) error { return nil }
