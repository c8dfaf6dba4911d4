// Package cache keeps what reading large texts came to in a folder of the user, so that the next question about the same
// text is answered sooner. It may be deleted at any time, and nothing but time is lost when it cannot be used.
package cache

import (
	"cmp"
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"errors"
	"fmt"
	"hash/crc32"
	"os"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"slices"
	"strings"
	"time"
	"unsafe"

	"wendrik/internal/inlet"
)

// MaxSize is how many bytes the folder holds at most; what was used least lately goes first.
const MaxSize = 256 << 20

// Folder is a cache in a folder. A nil Folder holds nothing.
type Folder struct {
	path, version string
	mac           cipher.AEAD // makes names of texts
}

// suffix ends the names of the files that are the cache's own.
const suffix = ".tree"

// Open opens the cache in the user's cache folder; nil when there is none, when others could read or write it, or when
// the setting of the user is off.
func Open(setting string) *Folder {
	base, err := os.UserCacheDir()
	if err != nil || strings.EqualFold(setting, "off") {
		return nil
	}
	path := filepath.Join(base, "wendrik")
	if err := os.MkdirAll(path, 0o700); err != nil {
		return nil
	}
	info, err := os.Lstat(path)
	if err != nil || !info.IsDir() || runtime.GOOS != "windows" && (info.Mode().Perm()&0o077 != 0 || !own(info)) {
		return nil
	}
	mac := secret(path)
	if mac == nil {
		return nil
	}
	program, _ := os.Executable() // of which nothing is known where that fails
	return &Folder{path, version(program), mac}
}

// version tells programs apart that may read texts differently: by what they were built from, and by their file, since what was
// changed before it was committed is not told apart by the former.
func version(program string) string {
	about := "unknown"
	if info, found := debug.ReadBuildInfo(); found {
		about = info.String()
	}
	if info, err := os.Stat(program); err == nil {
		about += fmt.Sprint(info.Size(), info.ModTime().UnixNano())
	}
	return fmt.Sprintf("%08x", crc32.ChecksumIEEE([]byte(about)))
}

// secret is a key that is made once for the folder, as an authenticator of texts: AES-GMAC (NIST SP 800-38D), which
// takes a few milliseconds for a plan of 11 MB. Whoever does not know the key cannot make two texts of one name.
func secret(path string) cipher.AEAD {
	name := filepath.Join(path, "key")
	key, err := inlet.Read(name, 32)
	if err != nil || len(key) != 32 {
		key = make([]byte, 32)
		_, _ = rand.Read(key) // never fails
		if write(path, name, key) != nil {
			return nil
		}
		// Two may have made one at once; the last stands for both from the next time on.
	}
	block, err := aes.NewCipher(key)
	if err != nil {
		return nil
	}
	mac, err := cipher.NewGCM(block)
	if err != nil {
		return nil
	}
	return mac
}

// write writes a file of the folder, whole or not at all. Only its user can read it.
func write(path, name string, value []byte) error {
	out, err := os.CreateTemp(path, "new-*"+suffix)
	if err != nil {
		return err
	}
	_, err = out.Write(value)
	if err = errors.Join(err, out.Close()); err == nil {
		err = os.Rename(out.Name(), name)
	}
	if err != nil {
		_ = os.Remove(out.Name())
	}
	return err
}

// file is the name of a text's file.
func (f *Folder) file(text string) string {
	sum := f.mac.Seal(nil, make([]byte, f.mac.NonceSize()), nil, unsafe.Slice(unsafe.StringData(text), len(text)))
	return filepath.Join(f.path, fmt.Sprintf("%s-%x%s", f.version, sum, suffix))
}

// Load is what this version of the program has stored for a text; nil when that is nothing.
func (f *Folder) Load(text string) []byte {
	if f == nil {
		return nil
	}
	name := f.file(text)
	raw, err := inlet.Read(name, MaxSize)
	if err != nil {
		return nil
	}
	now := time.Now()
	_ = os.Chtimes(name, now, now) // it was used now
	return raw
}

// Store keeps a value for a text, whole or not at all.
func (f *Folder) Store(text string, value []byte) {
	if f == nil || len(value) > MaxSize/2 {
		return
	}
	if write(f.path, f.file(text), value) == nil {
		f.trim()
	}
}

// trim removes what was used least lately, until the folder is not too large.
func (f *Folder) trim() {
	entries, err := os.ReadDir(f.path)
	if err != nil {
		return
	}
	var all []os.FileInfo
	var size int64
	for _, e := range entries {
		if info, err := e.Info(); err == nil && info.Mode().IsRegular() && strings.HasSuffix(e.Name(), suffix) {
			all = append(all, info)
			size += info.Size()
		}
	}
	slices.SortFunc(all, func(a, b os.FileInfo) int {
		return cmp.Or(a.ModTime().Compare(b.ModTime()), strings.Compare(a.Name(), b.Name()))
	})
	for _, info := range all {
		if size <= MaxSize {
			return
		}
		if os.Remove(filepath.Join(f.path, info.Name())) == nil {
			size -= info.Size()
		}
	}
}
