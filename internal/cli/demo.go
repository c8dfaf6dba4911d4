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
		name: "demo", args: "[FOLDER]",
		short: "a worked example: unpacks the shipped estate and runs the main commands on it",
		long: "Demo unpacks the estate of Skerry Line, a made-up ferry operator, into a folder (a new temporary one unless named), and runs the main commands on it, " +
			"one after another, each with a line on what it is for. At a terminal it waits for Enter after each.",
		examples: []example{{"wendrik demo -at-once", "the whole demo without waiting"}},
		setup: func(f *flags) func(c *call) (int, error) {
			atOnce := f.Bool("at-once", false, "do not wait between the steps")
			return func(c *call) (int, error) {
				if len(c.args) > 1 {
					return cannot, &usageError{"demo takes one folder", "wendrik demo FOLDER"}
				}
				folder := ""
				if len(c.args) == 1 {
					folder = c.args[0]
				}
				folder, err := unpack(folder)
				if err != nil {
					return cannot, err
				}
				return c.demo(folder, !*atOnce)
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
		if _, err := out.Write(raw); err != nil {
			out.Close()
			return err
		}
		return out.Close()
	})
}

// steps are the commands of the demo, in the order in which a day's work would meet them.
var steps = []struct{ why, line string }{
	{"Skerry Line runs ferries. Its network for tickets, and all that is tied to it:", "show booking"},
	{"What of the address space is used, held and free?", "space"},
	{"The network for the crews has no ranges yet. Carving shows what it would get:", "carve"},
	{"With -write the ranges go into the plan, and every other byte stays:", "carve -write"},
	{"Which ranges overlap, and does it matter?", "overlaps"},
	{"The ticket shop cannot read fares. Why not? All causes at once:", "reach ticket-1 fare-db -on tcp/5432"},
	{"The fare service can. By which way?", "reach fares-1 fare-db -on tcp/5432"},
	{"As whom does the internet see the fare service?", "reach fares-1 internet -on tcp/443"},
	{"And what of the shop can the internet reach?", "reach internet ticket-1"},
	{"Who reaches whom in all?", "grid"},
	{"What is exposed to the internet?", "grid -from internet"},
	{"All that is wrong or doubtful, and what the plan expects of itself:", "check"},
}

func (c *call) demo(folder string, wait bool) (int, error) {
	file := filepath.Join(folder, "wendrik.yaml")
	// The steps run in the folder, so that their output is what the same words give there later.
	if err := os.Chdir(folder); err != nil {
		return cannot, err
	}
	in, isFile := c.in.(*os.File)
	wait = wait && c.terminal && isFile && term.IsTerminal(int(in.Fd()))
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
