package rehearse

import (
	"encoding/binary"
	"fmt"
	"net/netip"

	"github.com/google/nftables"
	"github.com/google/nftables/binaryutil"
	"github.com/google/nftables/expr"
	"golang.org/x/sys/unix"

	"wendrik/internal/rehearse/stage"
)

// This file writes chains of a stage into the kernel's packet filter.

var hooks = map[stage.Hook]struct {
	hook     *nftables.ChainHook
	priority *nftables.ChainPriority
	kind     nftables.ChainType
}{
	stage.Input:    {nftables.ChainHookInput, nftables.ChainPriorityFilter, nftables.ChainTypeFilter},
	stage.Output:   {nftables.ChainHookOutput, nftables.ChainPriorityFilter, nftables.ChainTypeFilter},
	stage.Forward:  {nftables.ChainHookForward, nftables.ChainPriorityFilter, nftables.ChainTypeFilter},
	stage.Arriving: {nftables.ChainHookPrerouting, nftables.ChainPriorityNATDest, nftables.ChainTypeNAT},
	stage.Leaving:  {nftables.ChainHookPostrouting, nftables.ChainPriorityNATSource, nftables.ChainTypeNAT},
	stage.Left:     {nftables.ChainHookPostrouting, nftables.ChainPriorityRef(200), nftables.ChainTypeFilter},
}

// filters writes the chains of a node.
func (k *kernel) filters(n *stage.Node) error {
	if len(n.Chains) == 0 {
		return nil
	}
	if err := k.chains(n); err != nil {
		return fmt.Errorf("the packet filter: %w", err)
	}
	return nil
}

func (k *kernel) chains(n *stage.Node) error {
	c, err := nftables.New(nftables.WithNetNSFd(k.spaces[n].fd))
	if err != nil {
		return err
	}
	table := c.AddTable(filterTable(k.turns[k.spaces[n]]))
	chains := map[string]*nftables.Chain{}
	for _, x := range n.Chains {
		chain := &nftables.Chain{Name: x.Name, Table: table}
		if on, is := hooks[x.Hook]; is {
			chain.Hooknum, chain.Priority, chain.Type = on.hook, on.priority, on.kind
			policy := nftables.ChainPolicyAccept
			if x.Drops {
				policy = nftables.ChainPolicyDrop
			}
			chain.Policy = &policy
		}
		chains[x.Name] = c.AddChain(chain)
	}
	// The kernel answers each rule, and has room for so many answers only.
	const atOnce = 50
	waiting := 0
	for _, x := range n.Chains {
		for _, f := range x.Rules {
			for _, exprs := range expressions(f) {
				c.AddRule(&nftables.Rule{Table: table, Chain: chains[x.Name], Exprs: exprs})
				if waiting++; waiting%atOnce == 0 {
					if err := c.Flush(); err != nil {
						return err
					}
				}
			}
		}
	}
	return c.Flush()
}

// filterTable is the table of the packet filter that a turn writes.
func filterTable(turn int) *nftables.Table {
	return &nftables.Table{Family: nftables.TableFamilyINet, Name: fmt.Sprintf("plan-%d", turn)}
}

// unfilter takes out the table that a turn wrote.
func (k *kernel) unfilter(n *stage.Node, turn int) error {
	c, err := nftables.New(nftables.WithNetNSFd(k.spaces[n].fd))
	if err != nil {
		return err
	}
	c.DelTable(filterTable(turn))
	return c.Flush()
}

// expressions write a rule in the kernel's terms; ICMP takes two rules, one for each family.
func expressions(f stage.Filter) [][]expr.Any {
	var e []expr.Any
	equal := func(data []byte) { e = append(e, &expr.Cmp{Op: expr.CmpOpEq, Register: 1, Data: data}) }
	meta := func(key expr.MetaKey) { e = append(e, &expr.Meta{Key: key, Register: 1}) }
	if f.In != "" {
		meta(expr.MetaKeyIIFNAME)
		equal(name(f.In))
	}
	if f.Out != "" {
		meta(expr.MetaKeyOIFNAME)
		equal(name(f.Out))
		if f.Apart {
			meta(expr.MetaKeyIIFNAME)
			e = append(e, &expr.Cmp{Op: expr.CmpOpNeq, Register: 1, Data: name(f.Out)})
		}
	}
	switch f.Family {
	case 4:
		meta(expr.MetaKeyNFPROTO)
		equal([]byte{unix.NFPROTO_IPV4})
	case 6:
		meta(expr.MetaKeyNFPROTO)
		equal([]byte{unix.NFPROTO_IPV6})
	}
	e = append(e, prefix(f.Src, true, expr.CmpOpEq)...)
	e = append(e, prefix(f.Dst, false, expr.CmpOpEq)...)
	e = append(e, prefix(f.NotSrc, true, expr.CmpOpNeq)...)
	if f.State != 0 {
		e = append(e, states(f.State)...)
	}
	var out [][]expr.Any
	then := verdict(f)
	switch {
	case f.Neighbour:
		// Router and neighbour solicitations, advertisements and redirects: types 133 to 137.
		meta(expr.MetaKeyL4PROTO)
		equal([]byte{unix.IPPROTO_ICMPV6})
		e = append(e, &expr.Payload{DestRegister: 1, Base: expr.PayloadBaseTransportHeader, Offset: 0, Len: 1},
			&expr.Range{Op: expr.CmpOpEq, Register: 1, FromData: []byte{133}, ToData: []byte{137}})
		out = append(out, append(e, then...))
	case f.Answer != stage.AnyPart:
		meta(expr.MetaKeyL4PROTO)
		equal([]byte{unix.IPPROTO_TCP})
		const syn, ack = 0x02, 0x10
		e = append(e, &expr.Payload{DestRegister: 1, Base: expr.PayloadBaseTransportHeader, Offset: 13, Len: 1},
			&expr.Bitwise{SourceRegister: 1, DestRegister: 1, Len: 1, Mask: []byte{syn | ack}, Xor: []byte{0}},
			&expr.Cmp{Op: map[stage.Part]expr.CmpOp{stage.Answering: expr.CmpOpEq, stage.NotAnswering: expr.CmpOpNeq}[f.Answer], Register: 1, Data: []byte{syn | ack}})
		out = append(out, append(e, then...))
	case f.Protocol == "icmp":
		for _, protocol := range []byte{unix.IPPROTO_ICMP, unix.IPPROTO_ICMPV6} {
			one := append([]expr.Any{}, e...)
			one = append(one, &expr.Meta{Key: expr.MetaKeyL4PROTO, Register: 1}, &expr.Cmp{Op: expr.CmpOpEq, Register: 1, Data: []byte{protocol}})
			out = append(out, append(one, then...))
		}
	case f.Protocol != "":
		meta(expr.MetaKeyL4PROTO)
		equal([]byte{map[string]byte{"tcp": unix.IPPROTO_TCP, "udp": unix.IPPROTO_UDP}[f.Protocol]})
		if f.Ports != nil {
			e = append(e, &expr.Payload{DestRegister: 1, Base: expr.PayloadBaseTransportHeader, Offset: 2, Len: 2},
				&expr.Range{Op: expr.CmpOpEq, Register: 1, FromData: binary.BigEndian.AppendUint16(nil, f.Ports[0]), ToData: binary.BigEndian.AppendUint16(nil, f.Ports[1])})
		}
		out = append(out, append(e, then...))
	default:
		out = append(out, append(e, then...))
	}
	return out
}

// name is a name of a port as the kernel compares it.
func name(s string) []byte {
	b := make([]byte, unix.IFNAMSIZ)
	copy(b, s)
	return b
}

// prefix matches the source or destination against a range; a range that is not valid matches everything.
func prefix(p netip.Prefix, source bool, op expr.CmpOp) []expr.Any {
	if !p.IsValid() || p.Bits() == 0 {
		return nil
	}
	size := uint32(p.Addr().BitLen() / 8)
	offset := uint32(16) // of the destination in a header of IPv4 (RFC 791)
	if p.Addr().Is6() {
		offset = 24 // of IPv6 (RFC 8200)
	}
	if source {
		offset -= size
	}
	mask := make([]byte, size)
	for i := range p.Bits() {
		mask[i/8] |= 0x80 >> (i % 8)
	}
	return []expr.Any{
		&expr.Payload{DestRegister: 1, Base: expr.PayloadBaseNetworkHeader, Offset: offset, Len: size},
		&expr.Bitwise{SourceRegister: 1, DestRegister: 1, Len: size, Mask: mask, Xor: make([]byte, size)},
		&expr.Cmp{Op: op, Register: 1, Data: p.Masked().Addr().AsSlice()},
	}
}

// states matches what connection tracking knows of a packet.
func states(s stage.Tracked) []expr.Any {
	if s == stage.Reply {
		return []expr.Any{&expr.Ct{Key: expr.CtKeyDIRECTION, Register: 1}, &expr.Cmp{Op: expr.CmpOpEq, Register: 1, Data: []byte{1}}}
	}
	var bits uint32
	if s&stage.Known != 0 {
		bits |= expr.CtStateBitESTABLISHED | expr.CtStateBitRELATED
	}
	if s&stage.Invalid != 0 {
		bits |= expr.CtStateBitINVALID
	}
	return []expr.Any{
		&expr.Ct{Key: expr.CtKeySTATE, Register: 1},
		&expr.Bitwise{SourceRegister: 1, DestRegister: 1, Len: 4, Mask: binaryutil.NativeEndian.PutUint32(bits), Xor: binaryutil.NativeEndian.PutUint32(0)},
		&expr.Cmp{Op: expr.CmpOpNeq, Register: 1, Data: binaryutil.NativeEndian.PutUint32(0)},
	}
}

// verdict is what a rule does.
func verdict(f stage.Filter) []expr.Any {
	family := uint32(unix.NFPROTO_IPV6)
	if f.New.Is4() {
		family = unix.NFPROTO_IPV4
	}
	kind := expr.NATTypeSourceNAT
	switch f.Then {
	case stage.Accept:
		return []expr.Any{&expr.Verdict{Kind: expr.VerdictAccept}}
	case stage.Drop:
		return []expr.Any{&expr.Verdict{Kind: expr.VerdictDrop}}
	case stage.Return:
		return []expr.Any{&expr.Verdict{Kind: expr.VerdictReturn}}
	case stage.Jump:
		return []expr.Any{&expr.Verdict{Kind: expr.VerdictJump, Chain: f.Jump}}
	case stage.To:
		kind = expr.NATTypeDestNAT
	}
	return []expr.Any{
		&expr.Immediate{Register: 1, Data: f.New.AsSlice()},
		&expr.NAT{Type: kind, Family: family, RegAddrMin: 1},
	}
}
