package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"

	"github.com/mattn/go-shellwords"

	"wendrik/internal/build"
	"wendrik/internal/cloud"
	"wendrik/internal/cloud/client"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/stock"
	"wendrik/internal/core/text"
	"wendrik/internal/session"
)

// This file is how commands name a cloud, speak to it, and ask of what is there.

// atFlags name a cloud, and the keys for it.
type atFlags struct{ at, keys *string }

func (f *flags) atFlags() atFlags {
	return atFlags{f.String("at", usualCloud(), "`CLOUD` the address of the simulated cloud, rpc:URL of a driver, or the program of one with its arguments; WENDRIK_AT has another default"), f.keysFlag()}
}

// samePlace are the flags with which a suggested command reads the same plan and speaks to the same cloud.
func (s *screen) samePlace(at string) string {
	words := s.samePlan()
	if at != usualCloud() {
		words += " -at " + shellWord(at)
	}
	if s.keys != "" {
		words += " -keys " + shellWord(s.keys)
	}
	return clean(words)
}

// usualCloud is the cloud that is meant where none is named.
func usualCloud() string { return cmp.Or(os.Getenv("WENDRIK_AT"), "http://"+cloudAddress) }

func (f *flags) keysFlag() *string {
	return f.String("keys", keysFile, "`FILE` the keys for the cloud, OWNER: KEY on each line; that of what nobody is named for first")
}

// driver gives the driver that a word names, whose answers are tried before anybody sees them.
func (c *call) driver(a atFlags) (cloud.Driver, error) {
	d, err := c.untried(a)
	if err != nil {
		return nil, err
	}
	return cloud.Tried(d, cloud.Usual), nil
}

// untried gives the driver itself.
func (c *call) untried(a atFlags) (cloud.Driver, error) {
	at := *a.at
	if *a.keys != keysFile {
		c.keys = *a.keys
	}
	over, rpc := strings.CutPrefix(at, "rpc:")
	switch {
	case at == "":
		return nil, &usageError{"-at names no cloud", "-at http://" + cloudAddress}
	case rpc:
		keys, err := client.ReadKeys(*a.keys)
		if err != nil && !errors.Is(err, os.ErrNotExist) {
			return nil, keysError(*a.keys, err)
		}
		key := ""
		if len(keys) > 0 {
			key = keys[0].Secret
		}
		return cloud.Over(over, key), nil
	case strings.HasPrefix(at, "http://") || strings.HasPrefix(at, "https://"):
		keys, err := client.ReadKeys(*a.keys)
		if err != nil {
			return nil, keysError(*a.keys, err)
		}
		return client.New(at, keys), nil
	}
	words, err := commandWords(at)
	switch {
	case err != nil:
		return nil, &usageError{fmt.Sprintf("-at %s is no command: a quote is not ended", clean(at)), `-at 'PROGRAM "AN ARGUMENT"'`}
	case len(words) == 0:
		return nil, &usageError{"-at names no cloud", "-at http://" + cloudAddress}
	}
	return started(words)
}

// started is a driver that is a program, with its arguments.
func started(words []string) (cloud.Driver, error) {
	d, err := cloud.Run(words)
	switch {
	case errors.Is(err, exec.ErrNotFound) || errors.Is(err, os.ErrNotExist):
		return nil, &usageError{fmt.Sprintf("there is no program %s to be a driver", clean(words[0])), "name a program, or the address of a cloud: http://" + cloudAddress}
	case err != nil:
		return nil, &usageError{fmt.Sprintf("the driver %s cannot be started: %s", clean(words[0]), session.Reason(err)), ""}
	}
	return d, nil
}

// commandWords are the words of a command, with quotes as a shell has them; a backslash is part of a path where paths have such.
func commandWords(line string) ([]string, error) {
	if filepath.Separator == '\\' {
		line = strings.ReplaceAll(line, `\`, `\\`)
	}
	p := shellwords.NewParser()
	p.SetExcludeSeparators('(', ')', ';', '&', '|', '<', '>', '`') // no shell is there to whom these would mean more
	return p.Parse(line)
}

// cloudError says in a sentence why a cloud did not do what was asked.
func cloudError(at string, err error) error {
	var r *cloud.Refusal
	switch {
	case errors.Is(err, context.Canceled):
		return &usageError{"it was interrupted", "the same command goes on from here"}
	case errors.As(err, &r) && r.Reason == cloud.Denied:
		return &usageError{fmt.Sprintf("%s refuses the key: %s", clean(at), clean(r.Message)), "-keys FILE  names another file of keys"}
	case errors.As(err, &r):
		return &usageError{fmt.Sprintf("%s: %s", clean(at), clean(r.Message)), ""}
	case errors.Is(err, syscall.ECONNREFUSED):
		return &usageError{fmt.Sprintf("nothing answers at %s", clean(at)), "start a cloud to try things in:  wendrik cloud"}
	}
	return &usageError{fmt.Sprintf("%s: %s", clean(at), clean(err.Error())), ""}
}

// standing defines the flags of a question that can be asked of what is there, in the place of the plan.
func (f *flags) standing() atFlags {
	return atFlags{f.String("at", "", "ask of what is there at a `CLOUD`, in the place of what the plan says: the address of the simulated cloud, rpc:URL of a driver, or the program of one"), f.keysFlag()}
}

// asThere is a plan that is edited to say what is there at a cloud, or one that is written from that where there is no plan.
func (s *screen) asThere(plan *opened) (*opened, error) {
	c := &call{screen: s}
	ctx := context.Background()
	d, err := c.driver(*s.there)
	if err != nil {
		return nil, err
	}
	defer d.Close()
	at := *s.there.at
	if plan == nil {
		_, content, err := build.Adopt(ctx, d, "", nil)
		if err != nil {
			return nil, adoptError(at, err)
		}
		e, _ := estate.Load(text.One("what is there at "+at, content))
		return &opened{e, "what is there at " + at}, nil
	}
	if len(plan.Problems) > 0 {
		return plan, nil // which are told
	}
	x, err := build.Drifts(ctx, d, plan.Estate, stock.HeadOf(plan.Estate), "")
	if err != nil {
		return nil, cloudError(at, err)
	}
	if len(x.Things) > 0 {
		s.tell("%s otherwise than in %s;  wendrik drift%s  tells which", phrase.Count(len(x.Things), "thing"), clean(plan.label), s.samePlace(at))
	}
	if x.Anew {
		s.tell("the words of the plan do not reach what is there (%s); tiers and lines of expect are left out", clean((&drifted{Drift: x}).unreached()))
	}
	return &opened{x.Estate, plan.label}, nil
}

// ask has plans be opened as what is there, where a cloud is named.
func (s *screen) ask(at atFlags) {
	if *at.at != "" {
		s.there = &at
	}
}
