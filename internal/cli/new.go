package cli

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"regexp"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/begin"
	"wendrik/internal/core/carve"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/profile"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wrong"
	"wendrik/internal/session"
)

func newCommand() *command {
	return &command{
		name:  "new",
		short: "a first plan, with a comment above each part, already carved",
		long: "New writes a first plan from a few words: a region with zones, space, a pattern of tiers, and networks that take it. It teaches the format as it goes, " +
			"is carved, and has nothing that check would find. It asks nothing and overwrites nothing; - as the file writes to standard output.",
		examples: []example{
			{"wendrik new -o first.yaml", "one network, with defaults for all else"},
			{"wendrik new -o - -networks booking,harbour -zones 2", "two of them, on the screen"},
			{"wendrik new -o - -tiers edge:public:30,jobs:outbound:400 -space 10.96.0.0/12", "tiers and space of one's own"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			file := f.String("o", "wendrik.yaml", "`FILE` where to write it")
			name := f.String("estate", "first", "`NAME` of all that the plan describes")
			networks := f.String("networks", "main", "`NAMES` of the networks, with commas")
			region, zones := f.String("region", "west", "`NAME` of the region"), f.Int("zones", 3, "`N` how many zones it has")
			tiers := f.String("tiers", "web:public:60,app:outbound:200,data:closed:40", "`TIERS` each as name:access:hosts, with commas")
			space, size := f.String("space", "10.64.0.0/12", "`RANGE` the private space of it all"), f.String("size", "/20", "`/SIZE` of each network")
			cloud := f.oneOf("profile", "how the cloud behaves", profile.Names()...)
			return func(c *call) (int, error) {
				if err := c.noArguments("new", "-o FILE"); err != nil {
					return cannot, err
				}
				o := begin.Options{Estate: *name, Profile: *cloud, Networks: strings.Split(*networks, ","), Region: *region, Zones: *zones}
				for _, n := range append([]string{*region}, o.Networks...) {
					if !plainName.MatchString(n) {
						return cannot, &usageError{fmt.Sprintf("%q cannot be a name", n), "names are small letters, digits and dashes, and start with a letter"}
					}
				}
				if *zones < 1 || *zones > 26 {
					return cannot, &usageError{fmt.Sprintf("-zones takes a number from 1 to 26, not %d", *zones), ""}
				}
				var err error
				if o.Tiers, err = begin.ParseTiers(*tiers); err == nil {
					if o.Space, err = address.ParseRange(*space); err == nil {
						o.Size, err = address.ParseSize(*size)
					}
				}
				if cloud, _ := profile.Named(o.Profile); err == nil {
					err = begin.Lacks(o.Tiers, cloud)
				}
				if err != nil {
					return cannot, &usageError{err.Error(), wrong.Right(err)}
				}
				if !o.Space.Addr().Is4() {
					return cannot, &usageError{fmt.Sprintf("%s is not IPv4", o.Space), "add IPv6 to the plan by hand:  wendrik help plan networks.size6"}
				}
				return c.begin(o, *file)
			}
		},
	}
}

var plainName = regexp.MustCompile(`^[a-z][a-z0-9-]*$`)

// begin writes a first plan, carved.
func (c *call) begin(o begin.Options, file string) (int, error) {
	files := text.One(file, begin.Plan(o))
	e, problems := estate.Load(files)
	if len(problems) > 0 {
		c.finding(c.err, files, problems[0])
		return cannot, errSaid
	}
	r := carve.Estate(e)
	for _, m := range r.Misfits {
		c.finding(c.err, files, m)
	}
	if len(r.Misfits) > 0 {
		c.tell("%s; nothing was written: give  -size  or  -space  more room", misfits(len(r.Misfits)))
		return no, nil
	}
	changed, err := files.Apply(r.Changes.Edits())
	if err != nil {
		return cannot, uneditable(file, err)
	}
	content := files.With(changed).First().Text
	if file == "-" {
		c.say("%s", strings.TrimSuffix(content, "\n"))
		return good, nil
	}
	if err := create(file, content); err != nil {
		return cannot, err
	}
	c.plan = file
	c.say("%s is written: %s\n", clean(file), news(r))
	c.say("to look at it:    wendrik show%s\nis it right?      wendrik check%s\nwhat it can say:  wendrik help plan", c.samePlan(), c.samePlan())
	return good, nil
}

// create writes a file that is not there yet.
func create(file, content string) error {
	out, err := newFile(file, "-o", 0o666)
	if err != nil {
		return err
	}
	_, err = out.WriteString(content)
	if err = errors.Join(err, out.Close()); err != nil {
		os.Remove(file) // what is half written is nothing
		return unwritten(file, "-o", err)
	}
	return nil
}

// newFile is a file that was not there, as a flag names it.
func newFile(file, flag string, mode fs.FileMode) (*os.File, error) {
	out, err := os.OpenFile(file, os.O_WRONLY|os.O_CREATE|os.O_EXCL, mode)
	if errors.Is(err, fs.ErrExist) {
		return nil, &usageError{fmt.Sprintf("%s is there already, and nothing is overwritten", clean(file)), fmt.Sprintf("name another file with  %s FILE", flag)}
	} else if err != nil {
		return nil, unwritten(file, flag, err)
	}
	return out, nil
}

func unwritten(file, flag string, err error) error {
	return &usageError{fmt.Sprintf("%s cannot be written: %s", clean(file), session.Reason(err)), fmt.Sprintf("name another file with  %s FILE", flag)}
}
