package ranges

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/address"
	"wendrik/internal/core/wrong"
)

func read(t *testing.T, text string, columns Columns) *List {
	t.Helper()
	l, err := Read(strings.NewReader(text), columns)
	require.NoError(t, err)
	return l
}

func TestReadEveryForm(t *testing.T) {
	for name, c := range map[string]struct {
		text    string
		columns string
		want    string
	}{
		"a bare list":       {"10.0.0.0/24\n\n# no range\n 10.0.1.0/24  web servers\n10.0.2.5\n10.0.3.4-10.0.3.9\n10.0.4.0 - 10.0.4.7 lab\nfd3a::/64 # six\n", "", "1 10.0.0.0/24   ,4 10.0.1.0/24 web servers  ,5 10.0.2.5/32   ,6 10.0.3.4-10.0.3.9   ,7 10.0.4.0/29 lab  ,8 fd3a::/64 six  "},
		"CSV with a header": {"Name,Range,Owner\nweb,10.0.0.0/24,\"shop, online\"\n,10.0.1.0/24,\n", "", "2 10.0.0.0/24 web shop, online ,3 10.0.1.0/24   "},
		"mapped columns":    {"Net;Team;Site\n10.0.0.0/24;ops;quay\n", "range=net,owner=TEAM,place=Site", "2 10.0.0.0/24  ops quay"},
		"without a header":  {"10.0.0.0/24,web,ops,quay\n10.0.1.0/24\n", "", "1 10.0.0.0/24 web ops quay,2 10.0.1.0/24   "},
		"tabs":              {"range\tname\n10.0.0.0/24\tweb 1\n", "", "2 10.0.0.0/24 web 1  "},
		"a header alone":    {"range\n10.0.0.0/24\n", "", "2 10.0.0.0/24   "},
		"comments first":    {"# exported\n\n\ufeffrange,name\n10.0.0.0/24,a\n", "", "4 10.0.0.0/24 a  "},
		"other line ends":   {"10.0.0.0/24\r\n10.0.1.0/24\r\n", "", "1 10.0.0.0/24   ,2 10.0.1.0/24   "},
		"nothing":           {"", "", ""},
		"no last line end":  {"10.0.0.0/24", "", "1 10.0.0.0/24   "},
	} {
		columns, err := ParseColumns(c.columns)
		require.NoError(t, err)
		l := read(t, c.text, columns)
		var got []string
		for _, e := range l.Entries {
			x := e.Labels()
			got = append(got, fmt.Sprintf("%d %s %s %s %s", e.Line, e.Interval, x.Name, x.Owner, x.Place))
		}
		assert.Equal(t, c.want, strings.Join(got, ","), name)
		assert.Empty(t, l.Problems, name)
	}
}

func TestReadGoesOnAfterMistakes(t *testing.T) {
	l := read(t, "10.0.0.0/24\nweb\n10.0.0.9/24\n10.0.0.9-10.0.0.1\n10.0.0.0/33\n10.0.1.0/24\n", DefaultColumns)
	assert.Len(t, l.Entries, 2)
	var got []string
	for _, p := range l.Problems {
		got = append(got, fmt.Sprintf("%d: %s; %s", p.Line, p.Message, p.Fix))
	}
	assert.Equal(t, []string{
		`2: "web" is not a range, as "web" is not an IPv4 or IPv6 address; write one like 10.144.0.10`,
		`3: 10.0.0.9/24 is an address inside a block, not a block: its host bits are not zero; the block is 10.0.0.0/24`,
		`4: 10.0.0.9-10.0.0.1 runs backwards; write 10.0.0.1-10.0.0.9`,
		`5: "10.0.0.0/33" is not a range: the length "33" is not a whole number from 0 to 32; `,
	}, got)
	l = read(t, "range,name\n,a\n10.0.0.0/24,b\n\n", DefaultColumns)
	require.Len(t, l.Problems, 1)
	assert.Equal(t, 2, l.Problems[0].Line)
	l = read(t, strings.Repeat("x\n", MaxProblems+7), DefaultColumns)
	assert.Equal(t, 7, l.Dropped)

	_, err := Read(strings.NewReader("a,b\n1,2\n"), DefaultColumns)
	assert.ErrorContains(t, err, "no column is named range; the header has a, b")
	_, err = Read(strings.NewReader(strings.Repeat("x", MaxLine+1)), DefaultColumns)
	assert.ErrorContains(t, err, "longer than a million characters")
	_, err = ParseColumns("range=a,b")
	assert.Contains(t, wrong.Right(err), "write range=NAME")
}

// TestFastParseAgreesWithCareful tries texts that almost are IPv4 blocks.
func TestFastParseAgreesWithCareful(t *testing.T) {
	rng := rand.New(rand.NewPCG(23, 24))
	const letters = "0123456789./.0/12-"
	for range 200_000 {
		text := fmt.Sprintf("%d.%d.%d.%d/%d", rng.IntN(300), rng.IntN(3)*64, rng.IntN(256), rng.IntN(2)*128, rng.IntN(34))
		if rng.IntN(3) == 0 {
			b := []byte(text)
			b[rng.IntN(len(b))] = letters[rng.IntN(len(letters))]
			text = string(b)
		}
		got, fast := parseFast([]byte(text))
		want, err := address.ParseInterval(text)
		if fast && (err != nil || got != want) {
			require.Fail(t, "wrong", "%s is read as %s, not %s (%v)", text, got, want, err)
		}
		if _, block := want.Block(); !fast && err == nil && block && strings.Contains(text, "/") {
			require.Fail(t, "slow", "%s could be read fast", text)
		}
	}
}

// TestOverlapsAgainstEveryPair compares entries two by two, blocks alone and with other intervals among them.
func TestOverlapsAgainstEveryPair(t *testing.T) {
	rng := rand.New(rand.NewPCG(25, 26))
	for round := range 400 {
		var text strings.Builder
		for range 2 + rng.IntN(9) {
			a, b := rng.IntN(64), rng.IntN(64)
			if round%2 == 0 {
				length := 26 + rng.IntN(7)
				fmt.Fprintf(&text, "10.0.0.%d/%d\n", a&^(1<<(32-length)-1), length)
				continue
			}
			fmt.Fprintf(&text, "10.0.0.%d-10.0.0.%d\n", min(a, b), max(a, b))
		}
		l := read(t, text.String(), DefaultColumns)
		pairs, total := l.Overlaps(1000)
		require.Equal(t, uint64(len(pairs)), total)
		got := map[string]bool{}
		for _, p := range pairs {
			got[fmt.Sprint(min(p.A.Line, p.B.Line), max(p.A.Line, p.B.Line), p.Kind, p.Shared)] = true
		}
		n := 0
		for i := range l.Entries {
			for j := range i {
				x, y := l.Entries[j], l.Entries[i]
				first, last := x.First, x.Last
				if first.Less(y.First) {
					first = y.First
				}
				if y.Last.Less(last) {
					last = y.Last
				}
				if last.Less(first) {
					continue
				}
				n++
				kind := Partial
				shared := address.Interval{First: first, Last: last}
				switch {
				case x.Interval == y.Interval:
					kind = Same
				case shared == x.Interval || shared == y.Interval:
					kind = Inside
				}
				require.True(t, got[fmt.Sprint(x.Line, y.Line, kind, shared)], "%s and %s, %s, in\n%s", x.Interval, y.Interval, kind, text.String())
			}
		}
		require.Equal(t, n, len(pairs))
		few, counted := l.Overlaps(1)
		require.Equal(t, total, max(counted, uint64(len(few))))
		require.True(t, n == 0 || len(few) == 1)
	}
}

// FuzzRead looks for lists that crash the reader, or make it point at lines that are not there.
func FuzzRead(f *testing.F) {
	f.Add("10.0.0.0/24\n10.0.0.1 - 10.0.0.9 x\n")
	f.Add("range;name\n\"10.0.0.0/24\";\"a\nb\"\n#c\n;\n")
	f.Fuzz(func(t *testing.T, text string) {
		l, err := Read(strings.NewReader(text), DefaultColumns)
		if err != nil {
			return
		}
		lines := strings.Count(text, "\n") + 1
		for _, e := range l.Entries {
			require.True(t, e.First.IsValid() && !e.Last.Less(e.First) && e.Line >= 1 && e.Line <= lines, "%+v", e)
		}
		for _, p := range l.Problems {
			require.True(t, p.Message != "" && p.Line >= 1 && p.Line <= lines, "%+v", p)
		}
	})
}
