package cli

import (
	"bufio"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"golang.org/x/term"

	"wendrik/examples"
)

func demoCommand() *command {
	return &command{
		name: "demo", args: "[TOUR] [FOLDER]",
		short: "a worked example: unpacks the shipped estate and runs the main commands on it",
		long: "Demo unpacks the estate of Skerry Line, a made-up ferry operator, into a folder (a new temporary one unless named), and runs the main commands on it, " +
			"one after another, each with a line on what it is for. At a terminal it waits for Enter after each. " +
			"Tours by name go deeper: wiring, change and handover.",
		examples: []example{
			{"wendrik demo -at-once", "the whole demo without waiting"},
			{"wendrik demo change -at-once", "how a change is proved, made and tried"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			atOnce := f.Bool("at-once", false, "do not wait between the steps")
			return func(c *call) (int, error) {
				tour, folder := "", ""
				if len(c.args) > 0 && tours[c.args[0]] != nil {
					tour, c.args = c.args[0], c.args[1:]
				}
				if len(c.args) > 1 {
					return cannot, &usageError{"demo takes the name of a tour and one folder", "wendrik demo [wiring, change or handover] FOLDER"}
				}
				if len(c.args) == 1 {
					folder = c.args[0]
				}
				folder, err := unpack(folder)
				if err != nil {
					return cannot, err
				}
				return c.demo(tours[tour], folder, !*atOnce)
			}
		},
	}
}

// unpack writes the shipped estate into a folder, a new temporary one when it is not named. It never overwrites a file.
func unpack(folder string) (string, error) {
	var err error
	if folder == "" {
		folder, err = os.MkdirTemp("", "skerry-line-")
	} else {
		err = os.MkdirAll(folder, 0o777)
	}
	if err != nil {
		return "", &usageError{fmt.Sprintf("the folder %s cannot be made: %s", folder, err), "name another"}
	}
	shipped, err := fs.Sub(examples.SkerryLine, "skerry-line")
	if err != nil {
		return "", err
	}
	return folder, fs.WalkDir(shipped, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		raw, err := fs.ReadFile(shipped, name)
		if err != nil {
			return err
		}
		target := filepath.Join(folder, filepath.FromSlash(name))
		out, err := os.OpenFile(target, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o666)
		if errors.Is(err, fs.ErrExist) {
			return &usageError{fmt.Sprintf("%s is there already, and the demo overwrites nothing", target), "name an empty folder"}
		} else if err != nil {
			return &usageError{fmt.Sprintf("%s cannot be written: %s", target, err), "name another folder"}
		}
		_, err = out.Write(raw)
		if err = errors.Join(err, out.Close()); err != nil {
			os.Remove(target)
		}
		return err
	})
}

// stop is a command of a tour, and what it is for.
type stop struct{ why, line string }

// tours are the commands of each tour by its name, in the order in which a day's work would meet them; that without a name is the
// demo.
var tours = map[string][]stop{
	"": demoTour,
	"wiring": {
		{"A first plan of two networks, of a few words:", "new -networks tickets,berths -o first.yaml"},
		{"What follows from the access of its tiers is still to be written:", "wire -plan first.yaml"},
		{"With -write it is:", "wire -plan first.yaml -write"},
		{"Now nothing is wrong:", "check -plan first.yaml"},
		{"The harbours are to ask the books. All that joining the two takes, and what it opens:", "join harbour finance -on tcp/8443"},
		{"A ticket that failed at night, with the edits that would fix it and what else they would open:", "reach ticket-1 fare-db -on tcp/5432 -fix"},
		{"And all that can be fixed of what is wrong with the estate:", "check -fix"},
	},
	"change": {
		{"The change that is planned: what it moves, opens and closes, and by which part of it:", "compare wendrik.yaml planned.yaml"},
		{"The order in which to make it, so that nothing is cut:", "steps wendrik.yaml planned.yaml"},
		{"Every state between is a plan, of which anything can be asked:", "steps wendrik.yaml planned.yaml -at 6 -o after-6.yaml"},
		{"Do the fares reach the clock by then?", "reach fares-1 clock-1 -on udp/123 -plan after-6.yaml"},
		{"The drill overlaps booking. Where could it move, and what would follow?", "renumber drill"},
		{"And what stops when a zone fails?", "outage -of west-a"},
	},
	"handover": {
		{"The estate as a picture, for the wall:", "draw estate -o estate.svg"},
		{"The ticket that fails, for the ticket:", "draw reach ticket-1 fare-db -on tcp/5432 -o ticket.png"},
		{"One page with all of it, for the wiki:", "report -o estate.html"},
		{"One value, for a script:", "export values networks.booking.subnets.web-a.range"},
		{"Tables, for a spreadsheet:", "export tables -o tables"},
		{"Zone files, for the name server:", "export dns -domain skerry.example -o zones"},
		{"What guards the database, for its packet filter:", "export filters fare-db"},
	},
}

// demoTour shows the best of all of it.
var demoTour = []stop{
	{"Skerry Line runs ferries. Its network for tickets, and all that is tied to it:", "show booking"},
	{"What of the address space is used, held and free?", "space"},
	{"The ticket shop cannot read fares. Why not? All causes at once:", "reach ticket-1 fare-db -on tcp/5432"},
	{"As whom does the internet see the fare service?", "reach fares-1 internet -on tcp/443"},
	{"Who reaches whom in all?", "grid"},
	{"All that is wrong or doubtful, and what the plan expects of itself:", "check"},
	{"A change is planned. What does it open and close?", "compare wendrik.yaml planned.yaml"},
	{"In which order can it be made, so that nothing is cut?", "steps wendrik.yaml planned.yaml"},
	{"What stops when a zone fails?", "outage -of west-a"},
	{"The network for the crews has no ranges yet. Carving shows what it would get:", "carve"},
	{"With -write the ranges go into the plan, and every other byte stays:", "carve -write"},
	{"And a picture of it, for the wall:", "draw estate -o estate.svg"},
}

// atTerminal reports whether somebody is there to be asked.
func (s *screen) atTerminal() bool {
	in, isFile := s.in.(*os.File)
	return s.terminal && isFile && term.IsTerminal(int(in.Fd()))
}

func (c *call) demo(steps []stop, folder string, wait bool) (int, error) {
	file := filepath.Join(folder, "wendrik.yaml")
	// The steps run in the folder, so that their output is what the same words give there later.
	if err := os.Chdir(folder); err != nil {
		return cannot, err
	}
	wait = wait && c.atTerminal()
	lines := bufio.NewReader(c.in)
	c.say("The estate of Skerry Line is in %s\n", file)
	quiet := *c.screen
	quiet.in = strings.NewReader("") // what comes in is for the reader's Enter
	for i, step := range steps {
		c.say("%s %s", strong.Sprintf("%d of %d.", i+1, len(steps)), step.why)
		c.say("%s\n", fine.Sprintf("$ wendrik %s", step.line))
		words := strings.Fields(step.line)
		// A step whose answer is no is still a good step; only one that could not be asked ends the demo.
		if status := quiet.run(commandNamed(words[0]), words[1:]); status == cannot {
			return cannot, errSaid
		}
		c.say("")
		if wait && i < len(steps)-1 {
			fmt.Fprint(c.err, dim.Sprint("Enter goes on "))
			if _, err := lines.ReadString('\n'); err != nil {
				return good, nil
			}
			c.say("")
		}
	}
	c.say("Now try it yourself:\n\n%s", tryIt(folder, file, "reach ticket-1 berth-1 -on tcp/8443"))
	c.say("\nand on Linux, the same estate in the kernel, with real packets:\n\n%s", tryIt(folder, file, "rehearse"))
	return good, nil
}

// tryIt writes the lines to type to run a command on the demo estate, by whatever means this program was started.
func tryIt(folder, file, line string) string {
	exe, err := os.Executable()
	switch {
	case err == nil && strings.Contains(exe, "go-build"):
		return fmt.Sprintf("  go run ./cmd/wendrik %s -plan %s", line, file)
	case err == nil:
		if found, err := exec.LookPath("wendrik"); err != nil || found != exe {
			return fmt.Sprintf("  cd %s\n  %s %s", folder, exe, line)
		}
	}
	return fmt.Sprintf("  cd %s\n  wendrik %s", folder, line)
}
