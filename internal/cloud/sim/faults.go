package sim

import (
	"errors"
	"math/rand/v2"
	"strconv"
	"strings"
	"time"

	"wendrik/internal/cloud"
	"wendrik/internal/core/wrong"
)

// Faults are what goes wrong at a cloud, and at which of the calls that change something.
type Faults []faultRule

type faultRule struct {
	kind    string
	nth     int  // from 1, since the start
	onwards bool // and at all calls behind it
	percent float64
}

// FaultKinds are the kinds of faults, and what each does.
var FaultKinds = [][2]string{
	{"refuse", "the cloud says that it is at fault, and does nothing"},
	{"lose", "it is done, and the connection ends without an answer"},
	{"fail", "what is made or changed becomes failed"},
	{"forget", "it answers that it is done, and keeps no change, and no rules of what is made"},
	{"limit", "it is told to come again later"},
	{"slow", "the answer takes two seconds more"},
	{"die", "it is done and kept, and the process is killed before it answers"},
	{"die-first", "the process is killed before anything is done"},
}

// ParseFaults reads faults as KIND@N (at the call with that number, of those that change something), KIND@N+ (at that and all behind
// it) or KIND@P% (at so many of a hundred), with commas between them. The error is a *wrong.Error.
func ParseFaults(text string) (Faults, error) {
	var all Faults
	if text == "" {
		return nil, nil
	}
	for one := range strings.SplitSeq(text, ",") {
		kind, at, found := strings.Cut(strings.TrimSpace(one), "@")
		known := false
		var names []string
		for _, k := range FaultKinds {
			known = known || k[0] == kind
			names = append(names, k[0])
		}
		if !known {
			return nil, wrong.Value("write one of "+strings.Join(names, ", ")+", and behind @ when it comes: refuse@12", "%q is no fault", one)
		}
		f := faultRule{kind: kind}
		var err error
		switch number, percent := strings.CutSuffix(at, "%"); {
		case percent:
			f.percent, err = strconv.ParseFloat(number, 64)
			if err == nil && !(f.percent > 0 && f.percent <= 100) {
				err = errors.New("no percentage")
			}
		default:
			number, f.onwards = strings.CutSuffix(at, "+")
			f.nth, err = strconv.Atoi(number)
			if err == nil && f.nth < 1 {
				err = errors.New("no number")
			}
		}
		if !found || err != nil {
			return nil, wrong.Value("write refuse@12 for the 12th call that changes something, refuse@12+ for all from there on, or refuse@5% for five of a hundred", "%q does not say when the fault comes", one)
		}
		all = append(all, f)
	}
	return all, nil
}

// fault is what goes wrong at one call; the zero value is nothing.
type fault struct{ kind string }

// fault counts a call that changes something, and gives what goes wrong at it.
func (c *Cloud) fault() fault {
	c.calls++
	for _, f := range c.o.Faults {
		if f.nth == c.calls || f.onwards && c.calls > f.nth || f.percent > 0 && rand.Float64()*100 < f.percent {
			return fault{f.kind}
		}
	}
	return fault{}
}

// before reports whether the fault comes before anything is done.
func (f fault) before() bool { return f.kind == "refuse" || f.kind == "limit" || f.kind == "die-first" }

// refuse is the refusal of a call at which nothing is done.
func (f fault) refuse(c *Cloud) error {
	switch f.kind {
	case "limit":
		return &cloud.Refusal{Reason: cloud.Limited, Message: "too many calls; come again later", After: 100 * time.Millisecond}
	case "die-first":
		c.o.Die()
	}
	return cloud.Refused(cloud.Fault, "the cloud is at fault; nothing was done")
}

// errLost is the answer to a call whose connection ends.
var errLost = errors.New("the answer is lost")

// after does what goes wrong once a call is done, and gives the error of the call.
func (f fault) after(c *Cloud, err error) error {
	if err != nil {
		return err
	}
	switch f.kind {
	case "lose":
		return errLost
	case "slow":
		time.Sleep(2 * time.Second)
	case "die":
		c.o.Die()
	}
	return nil
}
