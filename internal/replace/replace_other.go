//go:build !linux

package replace

// replace compares and renames; where the system has no exchange of names, a moment between the two remains.
func replace(target, before, after string) (linked bool, err error) {
	if err := unchanged(target, before); err != nil {
		return false, err
	}
	return false, Output(target, []byte(after))
}
