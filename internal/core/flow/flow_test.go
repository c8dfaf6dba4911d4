package flow

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/wrong"
)

func TestParsePrintsBack(t *testing.T) {
	for text, want := range map[string]string{
		"tcp/443":                       "tcp/443",
		"any":                           "any",
		"udp":                           "udp",
		"tcp/0-65535":                   "tcp",
		"icmp,tcp/22":                   "tcp/22, icmp",
		"tcp/80, tcp/81, tcp/90-100":    "tcp/80-81, tcp/90-100",
		"udp/0-10,udp/5-20,tcp/65535":   "tcp/65535, udp/0-20",
		"tcp,udp/53":                    "tcp, udp/53",
		"tcp/1-2,tcp/3,tcp/5,udp/0-1":   "tcp/1-3, tcp/5, udp/0-1",
		"tcp/65535,udp/0":               "tcp/65535, udp/0",
		"tcp,udp,icmp":                  "tcp, udp, icmp",
		"tcp/1-10,tcp/2-3,icmp,tcp/443": "tcp/1-10, tcp/443, icmp",
	} {
		s, err := Parse(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, s.String(), text)
		again, err := Parse(s.String())
		require.NoError(t, err)
		assert.True(t, s.Equal(again), text)
	}
}

func TestParseSaysWhatIsWrong(t *testing.T) {
	for text, want := range map[string]string{
		"":             "missing",
		"tpc/443":      "tcp, udp, icmp or any",
		"icmp/8":       "icmp has no ports",
		"any/80":       "tcp/80",
		"tcp/70000":    "0 to 65535",
		"tcp/":         "not a port",
		"tcp/20-10":    "10-20",
		"tcp/443,":     "missing",
		"tcp/-1":       "not a port",
		"tcp/1-2-3":    "not a port",
		"other":        "tcp, udp, icmp or any",
		"TCP/443":      "tcp, udp, icmp or any",
		"tcp/0x50":     "not a port",
		"tcp /443":     "tcp, udp, icmp or any",
		"tcp/443/udp/": "not a port",
	} {
		_, err := Parse(text)
		require.Error(t, err, text)
		assert.Contains(t, err.Error()+": "+wrong.Right(err), want, text)
	}
	for text, want := range map[string]string{ // what is wrong comes first, and then what is right
		"":                "a flow is missing; write tcp/443, udp/53, icmp or any",
		"icmp/8":          "icmp has no ports; write icmp alone",
		"any/80":          `"any/80" gives ports to any protocol; name the protocol: tcp/80, udp/80; `,
		"tcp/20-10":       "the ports 20-10 run backwards; write 10-20",
		"other":           `"other" is not a flow: it starts with tcp, udp, icmp or any, as in tcp/443; `,
		"tcp/65536":       `"65536" is not a port: ports are whole numbers from 0 to 65535; `,
		"tcp/1-65536":     `"65536" is not a port: ports are whole numbers from 0 to 65535; `,
		"udp/53, sctp":    `"sctp" is not a flow: it starts with tcp, udp, icmp or any, as in tcp/443; `,
		"other protocols": `"other protocols" is not a flow: it starts with tcp, udp, icmp or any, as in tcp/443; `,
	} {
		s, err := Parse(text)
		require.Error(t, err, text)
		assert.True(t, s.Empty())
		assert.Equal(t, want, err.Error()+"; "+wrong.Right(err), text)
	}
	first, last, err := ParsePorts("9-8")
	assert.Error(t, err)
	assert.Equal(t, [2]uint16{}, [2]uint16{first, last})
}

// slow is a set of flows as a plain list of those of its members that the random sets below can tell apart.
type slow map[uint32]bool

func (s Set) members() slow {
	out := slow{}
	for i := range protocols {
		for port := uint32(0); port <= maxPort; port++ {
			if port == 8 {
				port = maxPort - 8
			}
			key := uint32(i)<<16 | port
			for _, x := range s.spans {
				if x.first <= key && key <= x.last {
					out[key] = true
				}
			}
		}
	}
	return out
}

// TestAlgebraAgainstMembers holds union, intersection and difference against single members, on random sets that
// crowd round the ends of the port range, where an interval can run over into the next protocol.
func TestAlgebraAgainstMembers(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	port := func() uint32 {
		if rng.IntN(2) == 0 {
			return uint32(rng.IntN(6))
		}
		return maxPort - uint32(rng.IntN(6))
	}
	random := func() Set {
		var s Set
		for range rng.IntN(5) {
			i := rng.IntN(len(protocols))
			x := of(i)
			if protocols[i].ports {
				base := x.first
				a, b := port(), port()
				x = span{base + min(a, b), base + max(a, b)}
			}
			s = s.Union(Set{[]span{x}})
		}
		return s
	}
	keys := map[string]string{"": "nothing"}
	for range 3000 {
		a, b := random(), random()
		said, known := keys[a.Key()] // equal sets have one key, and different ones two
		require.True(t, !known || said == a.String(), "%s and %s have one key", said, a)
		keys[a.Key()] = a.String()
		require.Equal(t, a.Equal(b), a.Key() == b.Key())
		ma, mb := a.members(), b.members()
		union, both, only := slow{}, slow{}, slow{}
		for k := range ma {
			union[k] = true
			if mb[k] {
				both[k] = true
			} else {
				only[k] = true
			}
		}
		for k := range mb {
			union[k] = true
		}
		require.True(t, same(a.Union(b), union), "%s or %s", a, b)
		require.True(t, same(a.Intersect(b), both), "%s and %s", a, b)
		require.True(t, same(a.Minus(b), only), "%s minus %s", a, b)
		require.Equal(t, len(only) == 0, b.Covers(a))
		require.False(t, strings.Contains(a.String(), "%!"))
		var whole, parts Set
		for _, p := range a.Protocols() {
			require.False(t, p.Empty())
			parts = parts.Union(p)
		}
		require.True(t, parts.Equal(a), "%s in its protocols", a)
		for i := range protocols {
			if !a.Intersect(Set{[]span{of(i)}}).Empty() {
				whole = whole.Union(Set{[]span{of(i)}})
			}
		}
		require.True(t, a.WholeProtocols().Equal(whole), "%s: %s", a, a.WholeProtocols())
		before := a.String()
		_, _ = a.Union(b).Minus(a), b.Union(a).Union(a)
		require.Equal(t, before, a.String(), "a set never changes")
	}
}

func same(s Set, want slow) bool {
	got := s.members()
	for k := range want {
		if !got[k] {
			return false
		}
	}
	return len(got) == len(want)
}

func TestWholeProtocolsAndPorts(t *testing.T) {
	s, err := Parse("tcp/443,tcp/80,icmp")
	require.NoError(t, err)
	assert.Equal(t, "tcp, icmp", s.WholeProtocols().String())
	assert.Equal(t, "tcp/1024-65535, udp/1024-65535", Ports(1024, maxPort).String())
	assert.Equal(t, "icmp, other protocols", WithoutPorts().String())
	assert.Len(t, s.Protocols(), 2)
	assert.Equal(t, "nothing", Any().Minus(Any()).String())
}

// TestSpans: the parts of a set, and the set as a rule would write it, which reads back as what was meant or more.
func TestSpans(t *testing.T) {
	for text, want := range map[string][]Span{
		"tcp/443":             {{"tcp", 443, 443, false}},
		"tcp/443,tcp/444":     {{"tcp", 443, 444, false}},
		"udp,icmp,tcp/80-90":  {{"tcp", 80, 90, false}, {"udp", 0, 65535, true}, {"icmp", 0, 0, true}},
		"tcp/0-65535":         {{"tcp", 0, 65535, true}},
		"any":                 {{"tcp", 0, 65535, true}, {"udp", 0, 65535, true}, {"icmp", 0, 0, true}},
		"tcp/1-2,tcp/4,udp/3": {{"tcp", 1, 2, false}, {"tcp", 4, 4, false}, {"udp", 3, 3, false}},
	} {
		s, err := Parse(text)
		require.NoError(t, err)
		assert.Equal(t, want, s.Spans(), text)
		back, err := Parse(s.Rule())
		require.NoError(t, err, text)
		assert.True(t, back.Equal(s), text)
	}
	tcp, _ := Parse("tcp/1-99")
	rest := Any().Minus(tcp)
	assert.Equal(t, "any", rest.Rule(), "no rule can say other protocols")
	web, err := Parse("tcp/80,tcp/443,udp/53")
	require.NoError(t, err)
	assert.Equal(t, "tcp/80,tcp/443,udp/53", web.Word())
	assert.Equal(t, []string{"tcp/80", "tcp/443", "udp/53"}, web.Words())
	assert.Equal(t, []string{"tcp/0", "tcp/100-65535", "udp", "icmp", "other protocols"}, rest.Words())
	back, err := Parse(rest.Rule())
	require.NoError(t, err)
	assert.True(t, back.Covers(rest))
	assert.Empty(t, Set{}.Spans())
}
