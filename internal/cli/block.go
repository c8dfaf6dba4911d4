package cli

import (
	"bufio"
	"fmt"
	"math"
	"math/big"
	"net/netip"
	"strconv"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/profile"
	"wendrik/internal/core/wrong"
)

func blockCommand() *command {
	return &command{
		name: "block", args: "[RANGE ...]",
		short: "arithmetic on ranges: ends, usable, pieces, next, fewest blocks, size for a head count",
		long: "Block does the arithmetic of ranges, IPv4 or IPv6, without a plan. A range is a CIDR block, first-last, or one address; - stands for a list on standard input, " +
			"one range a line. One range alone is described in one glance, several are told what lies in what. With a flag the answer is a plain list, one range a line, for scripts. " +
			"The exit status is 1 when the answer is that there is none.",
		examples: []example{
			{"wendrik block 10.144.0.0/20", "all about one range"},
			{"wendrik block 10.144.0.0/20 -split 3", "three parts of it"},
			{"wendrik block 10.144.0.0/20 -split /24 -nth 5", "its piece number 5 (the first is 0) of that size"},
			{"wendrik block 10.144.0.0/20 -minus 10.144.4.0/22", "what remains of it"},
			{"wendrik block 10.144.0.10-10.144.0.77 -merge", "the fewest blocks for an interval"},
			{"wendrik block -hosts 120 -growth 50% -profile zonal", "the size for a head count"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			b := &blockArgs{format: f.oneOf("format", "how to write the result", "text", "json")}
			f.StringVar(&b.split, "split", "", "`N|/SIZE` cut the range into so many parts, as even as can be, or into all pieces of a size")
			f.StringVar(&b.nth, "nth", "", "`N` only the piece of that number; the first is 0, and -1 the last")
			f.StringVar(&b.minus, "minus", "", "`RANGES` what remains when these are taken out, with commas between them")
			f.BoolVar(&b.merge, "merge", false, "the fewest blocks that hold exactly the given ranges")
			f.BoolVar(&b.around, "around", false, "the smallest single block that holds the given ranges")
			f.BoolVar(&b.next, "next", false, "the block of the same size behind")
			f.BoolVar(&b.previous, "previous", false, "the block of the same size before")
			f.IntVar(&b.hosts, "hosts", 0, "`N` the size of a subnet for so many workloads")
			f.StringVar(&b.growth, "growth", "", "`P%` room to grow, with -hosts")
			f.StringVar(&b.profile, "profile", "", "`zonal|regional|plain` the profile for what is usable; all three unless given")
			f.IntVar(&b.limit, "limit", 100_000, "`N` the longest list to write")
			f.apart("split", "minus", "merge", "around", "next", "previous", "hosts")
			for _, list := range []string{"split", "minus", "merge", "around", "next", "previous"} {
				f.apart("profile", list)
			}
			f.onlyWith("nth", "split")
			f.onlyWith("growth", "hosts")
			f.onlyWith("limit", "split", "minus", "merge", "next", "previous")
			f.atLeastOne("limit", &b.limit)
			return b.run
		},
	}
}

type blockArgs struct {
	format                             *string
	split, nth, minus, growth, profile string
	merge, around, next, previous      bool
	hosts, limit                       int
}

// run does what the flags ask for.
func (b *blockArgs) run(c *call) (int, error) {
	profiles := profile.BuiltIn
	if b.profile != "" {
		p, found := profile.Named(b.profile)
		if !found {
			return cannot, &usageError{fmt.Sprintf("there is no profile %q", b.profile), "-profile zonal, regional or plain"}
		}
		profiles = []profile.Profile{p}
	}
	if b.hosts != 0 || b.growth != "" {
		return b.sizes(c, profiles)
	}
	given, err := b.ranges(c)
	if err != nil {
		return cannot, err
	}
	all := address.UnionOf(given...)
	var list []netip.Prefix
	switch {
	case b.split != "":
		list, err = b.pieces(c, given)
	case b.minus != "":
		var gone []address.Interval
		if gone, err = parseIntervals(strings.Split(b.minus, ",")); err == nil {
			list = all.Minus(address.UnionOf(gone...)).Ranges()
		}
	case b.merge:
		list = all.Ranges()
	case b.around:
		if p := address.Around(all); p.IsValid() {
			list = append(list, p)
		}
	case b.next, b.previous:
		list, err = neighbours(given, b.next)
	default:
		return b.describe(c, given, profiles)
	}
	if err != nil {
		return cannot, err
	}
	return b.list(c, list)
}

// ranges reads the arguments, and a list on standard input where one of them is a dash.
func (b *blockArgs) ranges(c *call) ([]address.Interval, error) {
	var all []address.Interval
	for _, w := range c.args {
		if w != "-" {
			given, err := parseIntervals([]string{w})
			if err != nil {
				return nil, err
			}
			all = append(all, given...)
			continue
		}
		list, label, err := c.readList("-", "")
		if err != nil {
			return nil, err
		}
		if c.listProblems(list, label); list.Unread() > 0 {
			return nil, errSaid
		}
		for _, x := range list.Entries {
			all = append(all, x.Interval)
		}
	}
	if len(all) == 0 {
		return nil, &usageError{"block takes at least one range", "wendrik block 10.144.0.0/20"}
	}
	return all, nil
}

func parseIntervals(words []string) ([]address.Interval, error) {
	var out []address.Interval
	for _, w := range words {
		i, err := address.ParseInterval(strings.TrimSpace(w))
		if err != nil {
			return nil, rangeMistake(err)
		}
		out = append(out, i)
	}
	return out, nil
}

// rangeMistake is an error of reading a range, with what would be right.
func rangeMistake(err error) error {
	message, fix := err.Error(), wrong.Right(err)
	return &usageError{message, fix}
}

// one is the only range given, which must be a block.
func one(given []address.Interval, flag string) (netip.Prefix, error) {
	if len(given) != 1 {
		return netip.Prefix{}, &usageError{fmt.Sprintf("-%s takes one range, not %d", flag, len(given)), ""}
	}
	p, is := given[0].Block()
	if !is {
		return netip.Prefix{}, &usageError{fmt.Sprintf("%s is not one CIDR block, and -%s takes one", given[0], flag), "-merge  gives the blocks that it is made of"}
	}
	return p, nil
}

// pieces cuts the one range that is given.
func (b *blockArgs) pieces(c *call, given []address.Interval) ([]netip.Prefix, error) {
	p, err := one(given, "split")
	if err != nil {
		return nil, err
	}
	size, sized := strings.CutPrefix(b.split, "/")
	n, err := strconv.Atoi(size)
	if err != nil || n < 0 || !sized && n < 1 {
		fix := "-split 4,  or  -split /24"
		if bits, is := address.MaskBits(size); is {
			fix = fmt.Sprintf("write /%d", bits)
		}
		return nil, &usageError{fmt.Sprintf("-split takes a number of parts, or a size, not %q", phrase.Clip(b.split)), fix}
	}
	var list []netip.Prefix
	switch {
	case sized && address.Pieces(p, n).Sign() == 0:
		return nil, &usageError{fmt.Sprintf("%s has no pieces of /%d", p, n), fmt.Sprintf("choose a size from /%d to /%d", p.Bits(), p.Addr().BitLen())}
	case sized && b.nth != "":
		return b.piece(c, p, n)
	case sized:
		for i := range uint64(min(b.limit+1, math.MaxInt32)) {
			q, found := address.Piece(p, n, i)
			if !found {
				break
			}
			list = append(list, q)
		}
		return list, nil
	}
	if list = address.Split(p, min(n, 1<<24)); n > 1<<24 || len(list) == 0 {
		return nil, &usageError{fmt.Sprintf("%s cannot be cut into %d parts", p, n), "ask for fewer"}
	}
	if b.nth != "" {
		i, err := strconv.Atoi(b.nth)
		if i < 0 {
			i += len(list)
		}
		switch {
		case err != nil:
			return nil, notANumber(b.nth)
		case i < 0 || i >= len(list):
			c.tell("the parts are numbered from 0 to %d", len(list)-1)
			return nil, nil
		}
		list = list[i : i+1]
	}
	return list, nil
}

// piece is the one piece of a size that was asked for.
func (b *blockArgs) piece(c *call, p netip.Prefix, size int) ([]netip.Prefix, error) {
	i, ok := new(big.Int).SetString(b.nth, 10)
	total := address.Pieces(p, size)
	if ok && i.Sign() < 0 {
		i.Add(i, total)
	}
	switch {
	case !ok:
		return nil, notANumber(b.nth)
	case i.Sign() < 0 || !i.IsUint64() || i.Cmp(total) >= 0:
		c.tell("the pieces of /%d in %s are numbered from 0 to %s", size, p, total.Sub(total, big.NewInt(1)))
		return nil, nil
	}
	q, _ := address.Piece(p, size, i.Uint64())
	return []netip.Prefix{q}, nil
}

func notANumber(s string) error {
	return &usageError{fmt.Sprintf("-nth takes a whole number, not %q", s), "the first is 0, and -1 the last"}
}

// neighbours are the blocks of the same size behind or before each given one.
func neighbours(given []address.Interval, next bool) ([]netip.Prefix, error) {
	var list []netip.Prefix
	for _, i := range given {
		p, is := i.Block()
		if !is {
			return nil, &usageError{fmt.Sprintf("%s is not one CIDR block", i), "-merge  gives the blocks that it is made of"}
		}
		step := address.Previous
		if next {
			step = address.Next
		}
		if q, found := step(p); found {
			list = append(list, q)
		}
	}
	return list, nil
}

// list writes ranges, one a line.
func (b *blockArgs) list(c *call, list []netip.Prefix) (int, error) {
	cut := len(list) > b.limit
	if cut {
		list = list[:b.limit]
	}
	status := good
	if len(list) == 0 {
		c.tell("there is none")
		status = no
	}
	if *b.format == "json" {
		out := blockListOut{Ranges: make([]string, 0, len(list))}
		for _, p := range list {
			out.Ranges = append(out.Ranges, p.String())
		}
		return status, c.json(out)
	}
	w := bufio.NewWriter(c.out)
	for _, p := range list {
		fmt.Fprintln(w, p)
	}
	if cut {
		c.tell("the list ends after %d; -limit N asks for more", b.limit)
	}
	return status, w.Flush()
}

// sizes says which subnet a head count takes.
func (b *blockArgs) sizes(c *call, profiles []profile.Profile) (int, error) {
	growth, err := profile.ParseGrowth(b.growth)
	switch {
	case b.growth != "" && err != nil:
		return cannot, rangeMistake(err)
	case b.hosts < 1 || b.hosts > math.MaxInt32:
		return cannot, &usageError{"-hosts takes a number of workloads, from 1", "-hosts 120"}
	case len(c.args) > 0:
		return cannot, &usageError{"-hosts asks for a size, and a range was given too", "leave one of them out"}
	}
	t := &sheet{header: []string{"profile", "size", "addresses", "reserved", "usable", "left over"}, right: map[int]bool{2: true, 3: true, 4: true, 5: true}, wrap: -1}
	out := blockSizesOut{Sizes: []blockSizeOut{}}
	need := profile.Grown(b.hosts, growth)
	for _, p := range profiles {
		length, fits := p.SizeFor(need)
		if !fits {
			t.add(p.Name, "none", "", "", "", fmt.Sprintf("its largest is /%d", p.Largest))
			continue
		}
		usable := p.UsableIn(length)
		t.add(p.Name, fmt.Sprintf("/%d", length), grouped(big.NewInt(1<<(32-length))), fmt.Sprint(p.ReservedFirst+p.ReservedLast), grouped(big.NewInt(int64(usable))), grouped(big.NewInt(int64(usable-need))))
		out.Sizes = append(out.Sizes, blockSizeOut{p.Name, fmt.Sprintf("/%d", length), usable})
	}
	status := good
	if len(out.Sizes) == 0 {
		status = no
	}
	if *b.format == "json" {
		return status, c.json(out)
	}
	if need != b.hosts {
		c.say("%s", strong.Sprintf("%d workloads, %d with room to grow", b.hosts, need))
	} else {
		c.say("%s", strong.Sprintf("%d workloads", b.hosts))
	}
	return status, c.write(t, "text")
}

// describe tells all about one range, or what lies in what of several.
func (b *blockArgs) describe(c *call, given []address.Interval, profiles []profile.Profile) (int, error) {
	cards := blocksOut{Blocks: []blockOut{}}
	for _, i := range given {
		cards.Blocks = append(cards.Blocks, blockCardOf(i, given, profiles))
	}
	if *b.format == "json" {
		return good, c.json(cards)
	}
	if len(given) == 1 {
		c.blockCard(cards.Blocks[0])
		return good, nil
	}
	t := &sheet{header: []string{"range", "first", "last", "addresses", "lies in", "as piece"}, right: map[int]bool{3: true, 5: true}, wrap: -1}
	for _, k := range cards.Blocks {
		t.add(k.Range, k.First, k.Last, k.countText(), k.Inside, k.Piece)
	}
	return good, c.write(t, "text")
}
