package cli

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"net/netip"
	"os"
	"os/signal"
	"os/user"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"wendrik/internal/claims"
	"wendrik/internal/core/address"
	"wendrik/internal/core/carve"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/space"
	"wendrik/internal/core/text"
)

// storeVariable names the store where -store does not.
const storeVariable = "WENDRIK_STORE"

// defaultStore is the file of the store beside the plan.
const defaultStore = "claims.db"

func (f *flags) storeFlag() *string {
	return f.String("store", "", "`STORE` a file, or postgres://USER@HOST/DATABASE; "+storeVariable+", or claims.db beside the plan unless given")
}

// openStore opens the store, with a context that ends when the program is interrupted.
func (c *call) openStore(store, plan string) (*claims.Store, context.Context, func(), error) {
	if store == "" {
		store = os.Getenv(storeVariable)
	}
	if store == "" {
		store = filepath.Join(filepath.Dir(plan), defaultStore)
	}
	ctx, stop := signal.NotifyContext(context.Background(), syscall.SIGINT, syscall.SIGTERM)
	s, err := claims.Open(ctx, store)
	if err != nil {
		stop()
		return nil, nil, nil, storeError(err)
	}
	return s, ctx, func() {
		s.Close()
		stop()
	}, nil
}

// storeError says what is wrong with a store, without its address, which may have a password.
func storeError(err error) error {
	switch {
	case errors.Is(err, context.Canceled):
		return &usageError{"interrupted; nothing was claimed or released", "the same command again"}
	default:
		return &usageError{"the store: " + hidden(inOneLine(err.Error())), "wendrik help claim  says how stores are named"}
	}
}

// inOneLine is what a library says on several lines.
func inOneLine(s string) string {
	var all []string
	for line := range strings.Lines(s) {
		all = append(all, strings.TrimSpace(line))
	}
	return strings.Join(all, " ")
}

// hidden takes what looks like a password out of an address.
func hidden(s string) string {
	for {
		i := strings.Index(s, "://")
		if i < 0 {
			return s
		}
		at := strings.IndexByte(s[i:], '@')
		colon := strings.IndexByte(s[i+3:], ':')
		if at < 0 || colon < 0 || colon+3 > at {
			return s
		}
		s = s[:i] + " address " + s[i+at+1:]
	}
}

// whoAmI is who does something, as the history tells it.
func whoAmI() string {
	name := "somebody"
	if u, err := user.Current(); err == nil {
		name = u.Username
	}
	if host, err := os.Hostname(); err == nil {
		name += "@" + host
	}
	return name
}

func claimCommand() *command {
	return &command{
		name: "claim", args: "RANGE | /LENGTH -in BLOCK",
		short: "claims a range in a store that teams share, so that nobody else gets it",
		long: "Claim takes the best free range of a length from a block, or a certain range, and says which; where somebody has it, it says who. " +
			"The best one is in the smallest hole that has room, near to what is claimed for the same or by the same owner. -in names a block of the plan, in which what the plan uses is not free, or a range. " +
			"The store is a file, claims.db beside the plan, or for teams a PostgreSQL database: -store postgres://USER@HOST/DATABASE or " + storeVariable + ". That no two claims overlap is held by the database. " +
			"A claim is made or not made, whatever is killed when; -key names a request, so that the same command again gives what it gave before. What the plan has is not claimed by accident. -network writes a network that has the range into the plan, and release -network takes both back. " +
			"What is claimed up to a day is free again behind it: the next one who claims finds it so. " +
			"Exit status 1 says that it is taken, or that there is no room.",
		examples: []example{
			{"wendrik claim /22 -in west -for rosters -owner crew", "the best free /22 of a block"},
			{"wendrik claim 10.146.0.0/24 -for timetables -until 2030-01-31", "a certain range, for a while"},
			{"wendrik claim /28 -in west -for kiosks -n 3 -format json", "three at once, all or none"},
			{"wendrik claim /22 -in west -for rosters -owner crew -network rosters", "and a network of the plan that has it"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, store, format := f.planFlag(), f.storeFlag(), f.oneOf("format", "how to write the result", "text", "json")
			in := f.String("in", "", "`BLOCK` of the plan, or a range, from which to take one")
			purpose := f.String("for", "", "`WHAT` it is for")
			owner := f.String("owner", "", "`WHO` has it")
			until := f.String("until", "", "`DATE` up to which it is claimed, as 2030-01-31")
			n := f.Int("n", 1, "claim `N` ranges of the length, all or none")
			network := f.String("network", "", "write a network `NAME` that has the range into the plan")
			planned := f.Bool("planned", false, "claim a certain range although something of the plan has it, or some of it: for just that")
			key := f.String("key", "", "`KEY` of the request: the same one again claims nothing, and gives what it gave before")
			return func(c *call) (int, error) {
				if len(c.args) != 1 {
					return cannot, &usageError{"claim takes a range, or a length such as /22", "wendrik claim /22 -in west -for crew"}
				}
				if *purpose == "" {
					return cannot, &usageError{"a claim says what it is for", "-for crew"}
				}
				if *n < 1 || *n > 10000 {
					return cannot, &usageError{fmt.Sprintf("-n %d is no number of ranges", *n), "from 1 to 10000"}
				}
				w := claims.Wish{For: *purpose, Owner: *owner}
				var err error
				if *until != "" {
					if w.Until, err = time.Parse(time.DateOnly, *until); err != nil {
						return cannot, &usageError{fmt.Sprintf("-until %s is no date", *until), "-until 2030-01-31"}
					}
					if *until < time.Now().UTC().Format(time.DateOnly) {
						return cannot, &usageError{fmt.Sprintf("-until %s is past", *until), "the last day on which it is claimed, such as  -until 2030-01-31"}
					}
				}
				if err := c.wish(&w, c.args[0], *in, *name); err != nil {
					return cannot, err
				}
				if w.Range.IsValid() && !*planned {
					if has := c.inPlan(w.Range, *name); has != "" {
						c.tell("%s", c.wrap(0, clean(has+": nothing was claimed; -planned claims it all the same, where it is for just that")))
						return no, nil
					}
				}
				if *network != "" && *n > 1 {
					return cannot, &usageError{"a network takes one range", "leave out -n"}
				}
				if w.Range.IsValid() && *n > 1 {
					return cannot, &usageError{"-n is for a length, and not for a certain range", "wendrik claim /28 -in west -n 3"}
				}
				s, ctx, done, err := c.openStore(*store, *name)
				if err != nil {
					return cannot, err
				}
				defer done()
				if *key == "" {
					*key = someKey()
				}
				var o *opened
				if *network != "" {
					if o, err = c.newNetwork(*name, *network); err != nil {
						return cannot, err
					}
				}
				made, err := s.Claim(ctx, slices.Repeat([]claims.Wish{w}, *n), whoAmI(), *key)
				var taken *claims.Taken
				var full *claims.NoRoom
				var spent *claims.Spent
				switch {
				case errors.As(err, &taken), errors.As(err, &full):
					c.tell("%s", c.wrap(0, clean(err.Error())))
					return no, nil
				case errors.As(err, &spent):
					return cannot, &usageError{err.Error() + "; nothing was claimed", "-key  with another word, or without it"}
				case err != nil:
					return cannot, storeError(err)
				}
				if o != nil {
					if err := c.writeNetwork(ctx, s, o, *name, *network, made[0]); err != nil {
						return cannot, err
					}
				}
				err = c.claimed(made, *format, *n)
				if o != nil && *format == "text" {
					c.say("network %s of %s has it", clean(*network), clean(o.label))
				}
				return good, err
			}
		},
	}
}

// newNetwork opens a plan into which a network is to be written.
func (c *call) newNetwork(plan, name string) (*opened, error) {
	o, err := c.loadQuietly(plan, ranged)
	switch {
	case err != nil:
		return nil, err
	case o.Estate.Network(name) != nil:
		return nil, &usageError{fmt.Sprintf("the plan has a network %s", name), "give it another name, or claim its own range with  -planned"}
	case plan == "-":
		return nil, &usageError{"standard input cannot be written to", "name the plan with  -plan FILE"}
	}
	return o, nil
}

// writeNetwork writes a network that has a claimed range into the plan; where that cannot be, the range is given back.
func (c *call) writeNetwork(ctx context.Context, s *claims.Store, o *opened, plan, name string, made claims.Claim) error {
	fields := []text.Field{{Key: "range", Value: text.Word(made.Range.String())}}
	if made.Owner != "" {
		fields = append(fields, text.Field{Key: "owner", Value: text.Word(made.Owner)})
	}
	err := c.save(plan, o.Plan.Files, text.Changes{{Edits: []text.Edit{text.Set(text.Path{"networks"}, name, text.Map(fields...))}}}, false)
	if err == nil {
		return nil
	}
	if _, back := s.Release(ctx, made.Range, whoAmI()); back != nil {
		c.complain(fmt.Sprintf("%s stays claimed, and no network has it", made.Range), "wendrik release "+made.Range.String())
	}
	return err
}

// someKey is a key that no other request has.
func someKey() string {
	b := make([]byte, 16)
	_, _ = rand.Read(b)
	return hex.EncodeToString(b)
}

// wish reads what is to be claimed.
func (c *call) wish(w *claims.Wish, what, in, plan string) error {
	length, isLength := strings.CutPrefix(what, "/")
	if !isLength {
		p, err := address.ParseRange(what)
		if err != nil {
			return &usageError{err.Error(), "wendrik claim 10.146.0.0/24 -for timetables"}
		}
		if in != "" {
			return &usageError{"-in is for a length, and not for a certain range", "leave it out"}
		}
		w.Range = p
		return nil
	}
	bits, err := strconv.Atoi(length)
	if err != nil || bits < 1 || bits > 128 {
		return &usageError{fmt.Sprintf("%s is no length", what), "from /1 to /128"}
	}
	w.Bits = bits
	if in == "" {
		return &usageError{"a length needs to know where", "-in BLOCK"}
	}
	if p, err := address.ParseRange(in); strings.Contains(in, "/") {
		if err != nil {
			return &usageError{err.Error(), "-in 10.146.0.0/16"}
		}
		if p.Bits() > bits || bits > p.Addr().BitLen() {
			return &usageError{fmt.Sprintf("no %s lies in %s", what, in), "name a larger range"}
		}
		w.Within = []netip.Prefix{p}
		if _, err := os.Stat(plan); err != nil {
			return nil // without a plan, nothing else is known
		}
	}
	o, err := c.loadQuietly(plan, ranged)
	if err != nil {
		return err
	}
	survey := space.NewSurvey(o.Estate, nil)
	if len(w.Within) > 0 {
		w.Avoid = survey.Occupied
		return nil
	}
	i := slices.IndexFunc(o.Blocks, func(b *estate.Block) bool { return b.Name == in })
	if i < 0 {
		return &usageError{fmt.Sprintf("the plan has no block %s", in), "wendrik space  lists them"}
	}
	b := o.Blocks[i]
	if b.Held {
		return &usageError{fmt.Sprintf("block %s is held for %s", in, b.Plan.Held.Value), "name another"}
	}
	four := bits <= 32 && slices.ContainsFunc(b.Ranges, func(p netip.Prefix) bool { return p.Addr().Is4() })
	for _, p := range b.Ranges {
		if p.Addr().Is4() == four {
			w.Within = append(w.Within, p)
		}
	}
	w.Avoid = address.SetOf(w.Within...).Minus(survey.FreeIn(b))
	return nil
}

// inPlan says what of a plan has a range or a part of it, uses it or holds it; empty for nothing, and where there is no plan.
func (c *call) inPlan(p netip.Prefix, plan string) string {
	if _, err := os.Stat(plan); err != nil {
		return ""
	}
	o, err := c.open(plan)
	if err != nil {
		return "the plan cannot be read, so that nobody knows what it has"
	}
	who := space.NewSurvey(o.Estate, nil).Who(p)
	if len(who) == 0 {
		return ""
	}
	var words []string
	for _, t := range who {
		words = append(words, fmt.Sprintf("%s %s has %s", t.By.Kind(), t.By.ID(), t.Range))
	}
	return "in the plan, " + phrase.Few(words, 3)
}

// claimOut is a claim in JSON; docs/json.md describes it.
type claimOut struct {
	Range string `json:"range"`
	For   string `json:"for"`
	Owner string `json:"owner"`
	Until string `json:"until"`
	At    string `json:"at"`
	By    string `json:"by"`
}

func claimJSON(x claims.Claim) claimOut {
	return claimOut{x.Range.String(), x.For, x.Owner, dateWord(x.Until), x.At.Format(time.RFC3339), x.By}
}

func dateWord(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.Format(time.DateOnly)
}

func (c *call) claimed(made []claims.Claim, format string, asked int) error {
	if format == "json" {
		if asked == 1 && len(made) == 1 {
			return c.json(claimJSON(made[0]))
		}
		out := claimsOut{Claims: []claimOut{}}
		for _, x := range made {
			out.Claims = append(out.Claims, claimJSON(x))
		}
		return c.json(out)
	}
	for _, x := range made {
		more := ""
		if x.Owner != "" {
			more += ", owner " + x.Owner
		}
		if !x.Until.IsZero() {
			more += ", until " + dateWord(x.Until)
		}
		c.say("%s  claimed for %s", strong.Sprint(x.Range), clean(x.For+more))
	}
	return nil
}

// claimedByOthers are the claims of a store on what is not a network's of the plan, as ranges that carve must leave.
func claimedByOthers(ctx context.Context, s *claims.Store, e *estate.Estate) ([]space.Taken, error) {
	all, err := s.List(ctx)
	if err != nil {
		return nil, err
	}
	own := map[netip.Prefix]bool{}
	for _, n := range e.Networks {
		for _, p := range n.Ranges {
			own[p] = true
		}
	}
	var others []space.Taken
	for _, x := range all {
		if past := !x.Until.IsZero() && dateWord(x.Until) < time.Now().UTC().Format(time.DateOnly); !own[x.Range] && !past {
			others = append(others, space.Taken{Range: x.Range, Owner: x.For, Why: "claimed"})
		}
	}
	return others, nil
}

// claimCarved claims what networks get, all of it or nothing.
func claimCarved(ctx context.Context, s *claims.Store, e *estate.Estate, r *carve.Result) error {
	var wishes []claims.Wish
	for _, n := range r.Networks {
		if x := e.Network(n.Name); n.Block != "" && x != nil {
			wishes = append(wishes, claims.Wish{Range: n.Range, For: "network " + n.Name, Owner: x.Plan.Owner.Value})
		}
	}
	if len(wishes) == 0 {
		return nil
	}
	_, err := s.Claim(ctx, wishes, whoAmI(), someKey())
	var taken *claims.Taken
	if errors.As(err, &taken) {
		return &usageError{err.Error() + "; nothing was claimed or written", "the same command again carves around it"}
	}
	if err != nil {
		return storeError(err)
	}
	return nil
}
