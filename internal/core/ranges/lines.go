package ranges

import (
	"bytes"
	"fmt"
	"io"
	"runtime"
	"strings"
	"sync"
)

// This file reads bare lists: a block of whole lines after another, several blocks side by side.

// blockSize is about how many bytes of a list are read by one worker at a time.
const blockSize = 1 << 20

// block is some whole lines of a list.
type block struct {
	number int
	text   []byte
	above  int // lines before it
}

// readLines reads a bare list, before which some lines have been read.
func readLines(r io.Reader, skipped int) (*List, error) {
	blocks := make(chan block)
	var parts []*List
	var lock sync.Mutex
	var workers sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		workers.Go(func() {
			for b := range blocks {
				part := &List{}
				part.lines(b)
				lock.Lock()
				for len(parts) <= b.number {
					parts = append(parts, nil)
				}
				parts[b.number] = part
				lock.Unlock()
			}
		})
	}
	err := cut(r, skipped, blocks)
	close(blocks)
	workers.Wait()
	list, joined := join(parts)
	if err == nil {
		err = joined
	}
	return list, err
}

// cut hands a list out in blocks.
func cut(r io.Reader, above int, blocks chan<- block) error {
	var rest []byte
	for number := 0; ; number++ {
		text := make([]byte, len(rest)+blockSize)
		n, err := io.ReadFull(r, text[copy(text, rest):])
		text = text[:len(rest)+n]
		ended := err == io.EOF || err == io.ErrUnexpectedEOF
		if err != nil && !ended {
			return err
		}
		end := len(text)
		if !ended {
			end = bytes.LastIndexByte(text, '\n') + 1
		}
		rest = text[end:]
		if end > 0 {
			blocks <- block{number, text[:end], above}
			above += bytes.Count(text[:end], []byte{'\n'})
		}
		switch {
		case ended:
			return nil
		case len(rest) > MaxLine:
			return fmt.Errorf("line %d is longer than a million characters", above+1)
		}
	}
}

// join puts lists together.
func join(parts []*List) (*List, error) {
	all, total := &List{}, 0
	for _, p := range parts {
		total += len(p.Entries)
	}
	if total > MaxEntries {
		return all, tooMany()
	}
	if len(parts) == 1 {
		return parts[0], nil
	}
	all.Entries = make([]Entry, 0, total)
	for _, p := range parts {
		all.Entries = append(all.Entries, p.Entries...)
		for _, x := range p.Problems {
			all.problem(x)
		}
		all.Dropped += p.Dropped
	}
	return all, nil
}

// lines reads the lines of a block.
func (l *List) lines(b block) {
	l.Entries = make([]Entry, 0, len(b.text)/16)
	n := b.above
	for line := range bytes.Lines(b.text) {
		n++
		text := bytes.TrimSpace(line)
		if len(text) == 0 || text[0] == '#' {
			continue
		}
		word, rest := text, []byte(nil)
		if i := bytes.IndexAny(text, " \t"); i >= 0 {
			word, rest = text[:i], bytes.TrimSpace(text[i:])
			if bytes.HasPrefix(rest, []byte("-")) || bytes.HasSuffix(word, []byte("-")) {
				word, rest = dashed(text)
			}
		}
		entry := Entry{Line: n}
		if len(rest) > 0 {
			entry.labels = &Labels{Name: strings.TrimSpace(strings.TrimPrefix(string(rest), "#"))}
		}
		l.add(entry, word)
	}
}
