package plan

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/text"
	"wendrik/internal/golden"
)

// everything is each thing of a plan, by where it stands.
func everything(p *Plan) (names []string, things map[string]any) {
	things = map[string]any{}
	add := func(x any, path ...string) {
		name := strings.Join(path, ".")
		names, things[name] = append(names, name), x
	}
	add(p, "plan")
	for _, x := range p.DHCP {
		add(x, "dhcp", x.Name.Value)
	}
	for _, x := range p.Space {
		add(x, "space", x.Name.Value)
	}
	for _, n := range p.Networks {
		at := []string{"networks", n.Name.Value}
		add(n, at...)
		for _, x := range n.Tiers {
			add(x, append(at, "tiers", x.Name.Value)...)
		}
		for _, x := range n.Held {
			add(x, append(at, "held", x.Name.Value)...)
		}
		for _, x := range n.Subnets {
			add(x, append(at, "subnets", x.Name.Value)...)
		}
		for _, x := range n.Gateways {
			add(x, append(at, "gateways", x.Name.Value)...)
		}
		for _, x := range n.Tables {
			add(x, append(at, "tables", x.Name.Value)...)
			for i := range x.Routes {
				add(&x.Routes[i], append(at, "tables", x.Name.Value, "routes", fmt.Sprint(i+1))...)
			}
		}
		for _, x := range n.Groups {
			add(x, append(at, "groups", x.Name.Value)...)
		}
		for _, x := range n.Lists {
			add(x, append(at, "lists", x.Name.Value)...)
		}
	}
	for _, x := range p.Workloads {
		add(x, "workloads", x.Name.Value)
	}
	for _, x := range p.Peerings {
		add(x, "peerings", x.Name.Value)
	}
	for _, x := range p.Hubs {
		add(x, "hubs", x.Name.Value)
		for i := range x.Attach {
			add(&x.Attach[i], "hubs", x.Name.Value, "attach", x.Attach[i].Who.Value)
		}
		for _, t := range x.Tables {
			add(t, "hubs", x.Name.Value, "tables", t.Name.Value)
		}
	}
	for _, x := range p.HubLinks {
		add(x, "hub-links", x.Name.Value)
	}
	for _, x := range p.Sites {
		add(x, "sites", x.Name.Value)
	}
	for _, x := range p.Clusters {
		add(x, "clusters", x.Name.Value)
	}
	for i := range p.Waive {
		add(&p.Waive[i], "waive", fmt.Sprint(i+1))
	}
	return names, things
}

var whom = map[Affects]string{Everybody: "everybody", Neighbours: "neighbours", Members: "members", Nobody: "nobody"}

// TestFacts tells what is to be known of each thing of a plan with every key, whom it touches that this is another, and that it comes or goes.
func TestFacts(t *testing.T) {
	raw, err := os.ReadFile("whole.yaml")
	require.NoError(t, err)
	p, found := decode(t, string(raw))
	require.Empty(t, found)
	names, things := everything(p)
	golden.File(t, "facts.txt", func(t *testing.T, asked string) string {
		var b strings.Builder
		for _, name := range names {
			if !strings.HasPrefix(name, asked) {
				continue
			}
			fmt.Fprintf(&b, "%s: %s\n", name, whom[AffectsAt(text.Path(strings.Split(name, ".")))])
			for _, f := range Facts(things[name]) {
				set := map[bool]string{true: ", in any order"}[f.Set]
				fmt.Fprintf(&b, "  %s = %s (%s%s) %s\n", f.Key, strings.Join(f.Words, " | "), whom[f.Affects], set, strings.Join(f.Names, ", "))
			}
		}
		return b.String()
	})
	for _, r := range p.Regions {
		assert.Equal(t, "west-a, west-b, west-c", r.Facts()[0].String())
	}
	assert.Nil(t, Facts("a word"))
}

// TestSame: a thing is the same as itself in another text with other places, and no other is.
func TestSame(t *testing.T) {
	raw, err := os.ReadFile("whole.yaml")
	require.NoError(t, err)
	one, _ := decode(t, string(raw))
	two, _ := decode(t, strings.Replace(string(raw), "estate:", "# moved\n\nestate:", 1))
	names, a := everything(one)
	_, b := everything(two)
	for _, x := range names {
		for _, y := range names {
			attached := x != y && strings.Contains(x, ".attach.") && strings.Contains(y, ".attach.")
			if attached && !strings.HasSuffix(x, "harbour") && !strings.HasSuffix(y, "harbour") {
				continue // which say the same, and have other names
			}
			assert.Equal(t, x == y, Same(a[x], b[y]), "%s and %s", x, y)
		}
	}
	assert.False(t, Same("a word", "a word"))
	assert.False(t, Same(a["networks.booking"], "a word"))
}
