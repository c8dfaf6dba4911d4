package ranges

import (
	"encoding/binary"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"
	"testing/iotest"
	"unicode/utf16"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/address"
	"wendrik/internal/core/wrong"
	"wendrik/internal/fuzz"
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
		"host bits":         {"10.0.0.9/24 a\n10.0.1.9 255.255.255.0 b\n10.0.2.0/255.255.254.0\n10.0.4.0 /22 c\n", "", "1 10.0.0.0/24 a  ,2 10.0.1.0/24 b  ,3 10.0.2.0/23   ,4 10.0.4.0/22 c  "},
		"masks in CSV":      {"10.0.0.0,255.255.255.0,web,ops\n10.0.1.0 255.255.255.0,x\n", "", "1 10.0.0.0/24 web ops ,2 10.0.1.0/24 x  "},
		"mask column":       {"range;mask;name\n10.0.0.0;255.255.255.0;a\n10.0.1.0;/25;b\n10.0.2.0/24;;c\n", "", "2 10.0.0.0/24 a  ,3 10.0.1.0/25 b  ,4 10.0.2.0/24 c  "},
		"last column":       {"from,to,name\n10.0.0.0,10.0.0.255,a\n", "range=from,last=to", "2 10.0.0.0/24 a  "},
		"lines over lines":  {"range,name\n10.0.0.0/24,\"a\nb, \"\"c\"\"\"\n10.0.1.0/24,d\n", "", "2 10.0.0.0/24 a\nb, \"c\"  ,4 10.0.1.0/24 d  "},
		"old line ends":     {"range,name\r10.0.0.0/24,a\r10.0.1.0/24,b\r", "", "2 10.0.0.0/24 a  ,3 10.0.1.0/24 b  "},
		"a comma in a name": {"10.0.0.0/24 web, online\n10.0.1.0/24,shop\n10.0.2.0/24;x\n", "", "1 10.0.0.0/24 web, online  ,2 10.0.1.0/24 shop  ,3 10.0.2.0/24 x  "},
		"typeset dashes":    {"10.0.0.0\u201310.0.0.5 a\n10.0.0.6 \u2013 10.0.0.7 Pier \u2013 north\n", "", "1 10.0.0.0-10.0.0.5 a  ,2 10.0.0.6/31 Pier \u2013 north  "},
		"a mark inside":     {"10.0.0.0/24\n\ufeff10.0.1.0/24\n", "", "1 10.0.0.0/24   ,2 10.0.1.0/24   "},
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
	assert.Len(t, l.Entries, 3)
	assert.Equal(t, "10.0.0.0/24", l.Entries[1].Interval.String(), "a block that is named by an address inside it counts whole")
	assert.Equal(t, []int{1, 3}, []int{l.Widened, l.WidenedAt})
	var got []string
	for _, p := range l.Problems {
		got = append(got, fmt.Sprintf("%d: %s; %s", p.Line, p.Message, p.Fix))
	}
	assert.Equal(t, []string{
		`2: "web" is not a range; write one like 10.144.0.0/20`,
		`4: 10.0.0.9-10.0.0.1 runs backwards; write 10.0.0.1-10.0.0.9`,
		`5: "10.0.0.0/33" is not a range: its length is not a whole number from 0 to 32; write /0 to /32 behind the address`,
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

// TestNothingIsSwallowed writes ranges in every form, with stray quotes and second ranges in the lines, and asks of each
// whether the list has all of it or tells its line.
func TestNothingIsSwallowed(t *testing.T) {
	rng := rand.New(rand.NewPCG(29, 30))
	for range 3000 {
		var text strings.Builder
		wanted := map[int][]address.Interval{}
		comma := []string{",", ";", "\t", " "}[rng.IntN(4)]
		end := []string{"\n", "\r\n", "\r"}[rng.IntN(3)]
		line := 0
		if comma != " " && rng.IntN(2) == 0 {
			line++
			text.WriteString(strings.Join([]string{"range", "name", "owner"}, comma) + end)
		}
		for range 1 + rng.IntN(8) {
			line++
			var word string
			for n := 1 + rng.IntN(8)/7; n > 0; n-- {
				var i address.Interval
				i, word = writtenRange(rng, word)
				wanted[line] = append(wanted[line], i)
			}
			fields := []string{word}
			for _, f := range []string{"web", "shop, quay", "\"shop" + comma + " quay\"", "12\" pipe", "\"open", "close\"", "# was 10.9.9.9", "a\"\"b"} {
				if rng.IntN(6) == 0 {
					fields = append(fields, f)
				}
			}
			text.WriteString(strings.Join(fields, comma) + end)
		}
		raw := text.String()
		if rng.IntN(3) == 0 {
			order := []binary.AppendByteOrder{binary.LittleEndian, binary.BigEndian}[rng.IntN(2)]
			var wide []byte
			for _, u := range utf16.Encode([]rune("\ufeff" + raw)) {
				wide = order.AppendUint16(wide, u)
			}
			raw = string(wide)
		}
		l, err := Read(iotest.OneByteReader(strings.NewReader(raw)), DefaultColumns)
		if err != nil {
			continue
		}
		told := map[int]bool{}
		for _, p := range l.Problems {
			told[p.Line] = true
		}
		var read []address.Interval
		for _, e := range l.Entries {
			read = append(read, e.Interval)
		}
		for n, all := range wanted {
			for _, i := range all {
				covered := slices.ContainsFunc(read, func(r address.Interval) bool { return r.Holds(i) })
				require.True(t, covered || told[n], "%s of line %d is lost in\n%q\n%v", i, n, text.String(), l.Problems)
			}
		}
	}
}

// writtenRange is a range and how a list may write it, behind what is written already.
func writtenRange(rng *rand.Rand, before string) (address.Interval, string) {
	a := netip.AddrFrom4([4]byte{10, byte(rng.IntN(4)), byte(rng.IntN(256)), byte(rng.IntN(256))})
	p := netip.PrefixFrom(a, 16+rng.IntN(17))
	i := address.IntervalOf(p.Masked())
	mask := netip.AddrFrom4([4]byte(binary.BigEndian.AppendUint32(nil, ^uint32(0)<<(32-p.Bits()))))
	written := []string{p.String(), p.Masked().String(), fmt.Sprintf("%s %s", a, mask), fmt.Sprintf("%s/%s", a, mask), fmt.Sprintf("%s-%s", i.First, i.Last),
		fmt.Sprintf("%s - %s", i.First, i.Last), fmt.Sprintf("%s \u2013 %s", i.First, i.Last), fmt.Sprintf("%s /%d", a, p.Bits())}[rng.IntN(8)]
	if before != "" {
		before += []string{" ", ", ", "\t", " and ", "|"}[rng.IntN(5)]
	}
	return i, before + written
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
		defer fuzz.Bound()()
		if len(text) > fuzz.MaxText {
			t.Skip()
		}
		l, err := Read(strings.NewReader(text), DefaultColumns)
		if err != nil {
			return
		}
		lines := strings.Count(text, "\n") + strings.Count(text, "\r") + 1
		for _, e := range l.Entries {
			require.True(t, e.First.IsValid() && !e.Last.Less(e.First) && e.Line >= 1 && e.Line <= lines, "%+v", e)
		}
		for _, p := range l.Problems {
			require.True(t, p.Message != "" && p.Line >= 1 && p.Line <= lines, "%+v", p)
		}
	})
}
