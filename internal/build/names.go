package build

import (
	"fmt"
	"strings"

	"wendrik/internal/core/stock"
)

// names gives each thing a name of its own. A kind has each name once. What the estate names has that name, since its plan was one; what
// others named also gets none by which a plan would mean something else: none that two kinds at the top share, and for a next hop
// none that a gateway has.
type names struct {
	taken, kept map[string]bool // keys of things: those that have been given, and those that the estate has named
	top, gates  map[string]bool // names at the top of a plan, and of gateways within their networks
}

func newNames() *names {
	return &names{map[string]bool{}, map[string]bool{}, map[string]bool{}, map[string]bool{}}
}

// keep notes a name that the estate has given, so that nothing else gets it first.
func (n *names) keep(k stock.Kind, name string) {
	n.kept[stock.KeyOf(k, name)] = true
	n.note(k, name)
}

func (n *names) note(k stock.Kind, name string) {
	if at, short, inside := strings.Cut(name, "/"); !inside {
		n.top[at] = true
	} else if k == stock.Gateway {
		n.gates[short] = true
	}
}

// next is the name for a thing that would like to have this one; planned tells that it has it in a plan.
func (n *names) next(k stock.Kind, name string, planned bool) string {
	base := name
	for i := 2; !n.free(k, name, planned); i++ {
		name, planned = fmt.Sprintf("%s-%d", base, i), false
	}
	n.taken[stock.KeyOf(k, name)] = true
	n.note(k, name)
	return name
}

func (n *names) free(k stock.Kind, name string, planned bool) bool {
	key := stock.KeyOf(k, name)
	switch _, short, inside := strings.Cut(name, "/"); {
	case n.taken[key]:
		return false
	case planned:
		return true
	case n.kept[key]:
		return false
	case !inside:
		hop := k == stock.Peering || k == stock.Hub || k == stock.Site || k == stock.Workload
		return !n.top[name] && !(hop && n.gates[name])
	case k == stock.Gateway:
		return !n.top[short]
	}
	return true
}
