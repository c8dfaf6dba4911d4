package cache

import (
	"os"
	"path/filepath"
	"runtime"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// open opens a cache in a folder of the test's own.
func open(t *testing.T) (*Folder, string) {
	t.Helper()
	base := t.TempDir()
	t.Setenv("XDG_CACHE_HOME", base)
	t.Setenv("HOME", base)
	t.Setenv("LocalAppData", base)
	f := Open("")
	require.NotNil(t, f)
	return f, f.path
}

func TestKeepsAndForgets(t *testing.T) {
	f, path := open(t)
	assert.Nil(t, f.Load("a-1"))
	f.Store("a-1", []byte("one"))
	f.Store("a-1", []byte("two"))
	assert.Equal(t, "two", string(f.Load("a-1")))
	other := &Folder{f.path, "another", f.mac}
	assert.Nil(t, other.Load("a-1"), "another version of the program has files of its own")
	info, err := os.Stat(f.file("a-1"))
	require.NoError(t, err)
	if runtime.GOOS != "windows" {
		assert.Zero(t, info.Mode().Perm()&0o077, "others can read it")
	}
	assert.Equal(t, "two", string(Open("").Load("a-1")), "the next run finds it")
	require.NoError(t, os.WriteFile(filepath.Join(path, "key"), []byte("short"), 0o600))
	assert.Nil(t, Open("").Load("a-1"), "with another key, nothing is known by its name")
	require.NoError(t, os.RemoveAll(path))
	assert.Nil(t, f.Load("a-1"))
	f.Store("a-1", []byte("three")) // and nothing breaks
}

func TestStaysInBounds(t *testing.T) {
	f, path := open(t)
	large := make([]byte, MaxSize/4)
	for i, name := range []string{"a", "b", "c", "d", "e"} {
		f.Store(name, large)
		at := time.Now().Add(time.Duration(i-100) * time.Minute)
		require.NoError(t, os.Chtimes(f.file(name), at, at))
		if name == "d" {
			f.Load("a") // used again
		}
	}
	mine := filepath.Join(path, "mine.txt")
	require.NoError(t, os.WriteFile(mine, nil, 0o600))
	f.Store("f", large)
	assert.Nil(t, f.Load("b"), "it was used least lately")
	assert.NotNil(t, f.Load("a"))
	assert.NotNil(t, f.Load("f"))
	assert.FileExists(t, mine, "what is not the cache's own stays")
	f.Store("g", make([]byte, MaxSize))
	assert.Nil(t, f.Load("g"))
}

func TestIsNotUsed(t *testing.T) {
	f, path := open(t)
	assert.Nil(t, Open("off"))
	if runtime.GOOS != "windows" {
		require.NoError(t, os.Chmod(path, 0o755))
		assert.Nil(t, Open(""), "others can look into it")
		require.NoError(t, os.Chmod(path, 0o500))
		f.Store("a", []byte("x")) // root may write all the same
	}
	var none *Folder
	none.Store("a", nil)
	assert.Nil(t, none.Load("a"))
}
