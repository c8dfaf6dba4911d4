package ranges

import (
	"bytes"
	"cmp"
	"io"
	"runtime"
	"strings"
	"sync"

	"wendrik/internal/core/phrase"
	"wendrik/internal/core/wrong"
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
			return tooLong(above + 1)
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
		all.Widened += p.Widened
		all.WidenedAt = cmp.Or(all.WidenedAt, p.WidenedAt)
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
		if i, fast := parseFast(text); fast {
			l.add(Entry{Interval: i, Line: n})
			continue
		}
		l.line(n, string(text))
	}
}

// line reads a line that is more than a block.
func (l *List) line(n int, text string) {
	word, behind := cutWord(text)
	i, widened, err := parse(word)
	if err != nil {
		l.problem(Problem{n, phrase.Clip(word), err.Error(), wrong.Right(err)})
		return
	}
	said, _, _ := strings.Cut(behind, "#")
	if other, found := second(i, said); found {
		l.problem(twoRanges(n, word, other))
		return
	}
	if widened {
		l.widen(n)
	}
	entry := Entry{Interval: i, Line: n}
	if name := strings.TrimSpace(strings.TrimLeft(behind, "#,; ")); name != "" {
		entry.labels = &Labels{Name: name}
	}
	l.add(entry)
}

// cutWord takes a range off the front of a line, with a mask or a last address that stands apart from it.
func cutWord(text string) (word, behind string) {
	word, behind = cutField(text)
	next, after := cutField(behind)
	word, next = usual.Replace(word), usual.Replace(next)
	switch {
	case strings.HasSuffix(word, "-"): // first- last
		return word + next, after
	case next == "-": // first - last
		last, after := cutField(after)
		return word + "-" + last, after
	case strings.HasPrefix(next, "-") && isAlone(next[1:]): // first -last
		return word + next, after
	case isAlone(word) && isLength(next):
		return word + "/" + strings.TrimPrefix(next, "/"), after
	}
	return word, behind
}

// cutField takes what stands before the first space, comma or semicolon.
func cutField(text string) (field, behind string) {
	at := strings.IndexAny(text, " \u00a0\t,;")
	if at < 0 {
		return text, ""
	}
	return text[:at], strings.TrimSpace(text[at:])
}
