package cache

import "io/fs"

// own is so of every folder there, which is the user's by its access list.
func own(fs.FileInfo) bool { return true }
