//go:build unix

package cache

import (
	"io/fs"
	"os"
	"syscall"
)

// own reports whether a folder belongs to the user: root can read another's, and what lies there is that one's word.
func own(info fs.FileInfo) bool {
	s, is := info.Sys().(*syscall.Stat_t)
	return is && int(s.Uid) == os.Geteuid()
}
