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

// TestTwoPrograms: two builds of the program have files of their own, also where they are of the same size, or of the same time.
func TestTwoPrograms(t *testing.T) {
	f, _ := open(t)
	folder := t.TempDir()
	program := func(name, content string, at time.Time) string {
		file := filepath.Join(folder, name)
		require.NoError(t, os.WriteFile(file, []byte(content), 0o700))
		require.NoError(t, os.Chtimes(file, at, at))
		return version(file)
	}
	day := time.Date(2031, 3, 31, 4, 0, 0, 0, time.UTC)
	one := program("one", "abc", day)
	assert.Equal(t, one, program("same", "abc", day))
	for _, other := range []string{program("later", "abc", day.Add(time.Millisecond)), program("larger", "abcd", day), version(filepath.Join(folder, "none"))} {
		assert.NotEqual(t, one, other)
		f.version = one
		f.Store("a", []byte("of one"))
		f.version = other
		assert.Nil(t, f.Load("a"))
	}
	self, err := os.Executable()
	require.NoError(t, err)
	assert.Equal(t, version(self), Open("").version)
}

// TestTexts: what is stored for one text is not given for another, however alike they are, and what cannot be stored leaves nothing.
func TestTexts(t *testing.T) {
	f, path := open(t)
	f.Store("networks: {}\n", []byte("one"))
	for _, text := range []string{"networks: {}", "networks: {}\n\n", "", "Networks: {}\n"} {
		assert.Nil(t, f.Load(text), "%q", text)
	}
	f.Store("empty", nil)
	assert.NotNil(t, f.Load("empty"))
	require.NoError(t, os.Mkdir(f.file("blocked"), 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(f.file("blocked"), "x"), nil, 0o600))
	f.Store("blocked", []byte("x"))
	assert.Nil(t, f.Load("blocked"))
	left, err := filepath.Glob(filepath.Join(path, "new-*"))
	require.NoError(t, err)
	assert.Empty(t, left, "what was begun is taken away")
	f.Store("half", make([]byte, MaxSize/2))
	assert.Len(t, f.Load("half"), MaxSize/2)
	f.Store("more than half", make([]byte, MaxSize/2+1))
	assert.Nil(t, f.Load("more than half"))
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
	require.NoError(t, os.RemoveAll(path))
	f, path = open(t)
	for i, name := range []string{"a", "b", "c", "d"} {
		f.Store(name, large)
		at := time.Now().Add(time.Duration(i-100) * time.Minute)
		require.NoError(t, os.Chtimes(f.file(name), at, at))
	}
	assert.NotNil(t, f.Load("a"), "a full folder loses nothing")
	require.NoError(t, os.Mkdir(filepath.Join(path, "folder"+suffix), 0o700))
	f.Store("e", make([]byte, MaxSize/2))
	assert.Equal(t, []bool{true, false, false, true}, []bool{f.Load("a") != nil, f.Load("b") != nil, f.Load("c") != nil, f.Load("d") != nil}, "as many go as must, and no more")
	f.Store("g", make([]byte, MaxSize))
	assert.Nil(t, f.Load("g"))
}

func TestIsNotUsed(t *testing.T) {
	f, path := open(t)
	assert.Nil(t, Open("off"))
	assert.Nil(t, Open("OFF"))
	assert.NotNil(t, Open("on"))
	if runtime.GOOS != "windows" {
		require.NoError(t, os.Chmod(path, 0o755))
		assert.Nil(t, Open(""), "others can look into it")
		require.NoError(t, os.Chmod(path, 0o500))
		f.Store("a", []byte("x")) // root may write all the same
	}
	file := filepath.Join(t.TempDir(), "file")
	require.NoError(t, os.WriteFile(file, nil, 0o600))
	t.Setenv("XDG_CACHE_HOME", file)
	t.Setenv("LocalAppData", file)
	if runtime.GOOS != "darwin" {
		assert.Nil(t, Open(""), "there is no such folder, and none can be made")
		base := t.TempDir()
		require.NoError(t, os.WriteFile(filepath.Join(base, "wendrik"), nil, 0o600))
		t.Setenv("XDG_CACHE_HOME", base)
		t.Setenv("LocalAppData", base)
		assert.Nil(t, Open(""), "a file is in its place")
		base = t.TempDir()
		require.NoError(t, os.MkdirAll(filepath.Join(base, "wendrik", "key", "x"), 0o700))
		t.Setenv("XDG_CACHE_HOME", base)
		t.Setenv("LocalAppData", base)
		assert.Nil(t, Open(""), "no key can be made")
	}
	var none *Folder
	none.Store("a", nil)
	assert.Nil(t, none.Load("a"))
}
