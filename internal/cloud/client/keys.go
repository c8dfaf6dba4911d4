package client

import (
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"slices"
	"strings"

	"wendrik/internal/core/text"
)

// KeepKeys reads the keys of some names from a file, and makes those that it lacks and writes them there. Nobody but the owner of the
// file can read it.
func KeepKeys(file string, names []string) ([]Key, error) {
	all, err := ReadKeys(file)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, err
	}
	var b strings.Builder
	var fresh []Key
	for _, name := range names {
		if slices.ContainsFunc(all, func(k Key) bool { return k.Name == name }) {
			continue
		}
		var raw [24]byte
		rand.Read(raw[:])
		k := Key{name, "wk-" + base64.RawURLEncoding.EncodeToString(raw[:])}
		fresh = append(fresh, k)
		fmt.Fprintf(&b, "%s: %s\n", text.Word(k.Name), text.Word(k.Secret))
	}
	if len(fresh) == 0 {
		return all, nil
	}
	f, err := os.OpenFile(file, os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return nil, err
	}
	_, err = f.WriteString(b.String())
	return append(all, fresh...), errors.Join(err, f.Close())
}
