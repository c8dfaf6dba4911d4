package ranges

import (
	"bufio"
	"bytes"
	"io"

	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
)

// This file makes plain text, UTF-8 with LF line ends, of what editors and spreadsheets write.

// plain reads text that is UTF-8 or, with its mark, UTF-16 (RFC 2781 section 3.2), and whose lines end with LF, CRLF or
// CR, as UTF-8 without a mark whose lines end with LF.
func plain(r io.Reader) io.Reader {
	in := bufio.NewReaderSize(r, 1<<16)
	switch mark, _ := in.Peek(3); {
	case bytes.HasPrefix(mark, []byte{0xfe, 0xff}), bytes.HasPrefix(mark, []byte{0xff, 0xfe}):
		return &lineEnds{in: transform.NewReader(in, unicode.UTF16(unicode.LittleEndian, unicode.ExpectBOM).NewDecoder())}
	case bytes.Equal(mark, []byte{0xef, 0xbb, 0xbf}):
		_, _ = in.Discard(len(mark))
	}
	return &lineEnds{in: in}
}

// lineEnds makes LF of every line end.
type lineEnds struct {
	in    io.Reader
	after bool // whether the last byte was a CR
}

func (l *lineEnds) Read(p []byte) (int, error) {
	for {
		n, err := l.in.Read(p)
		if !l.after && bytes.IndexByte(p[:n], '\r') < 0 {
			return n, err
		}
		kept := p[:0]
		for _, b := range p[:n] {
			if b != '\n' || !l.after {
				kept = append(kept, b)
			}
			if l.after = b == '\r'; l.after {
				kept[len(kept)-1] = '\n'
			}
		}
		if len(kept) > 0 || err != nil || len(p) == 0 {
			return len(kept), err
		}
	}
}
