// Package check finds what is wrong or doubtful in an estate. Each rule is a value in a list.
package check

import (
	"fmt"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
)

// Topic is what a rule is about, so that a command can ask for the rules that concern it.
type Topic string

// The topics.
const (
	Ranges Topic = "ranges" // addresses that should not be used so
	Space  Topic = "space"  // ranges and the blocks that they lie in
	Room   Topic = "room"   // how full ranges are
	Names  Topic = "names"  // naming and numbering conventions, and sizes
	Meets  Topic = "meets"  // ranges that overlap where they meet
	Wiring Topic = "wiring" // tables, gateways, and all that joins networks
	Guards Topic = "guards" // groups and lists
	Expect Topic = "expect" // lines of expect, and of waive
)

// Rule is one check.
type Rule struct {
	Code  diag.Code // that of its findings
	Topic Topic
	Doc   string // what it looks for, in a sentence
	run   func(*run)
}

// Rules are all checks, in the order in which they are run.
var Rules = []Rule{
	specialRanges,
	publicRanges,
	outsideSpace,
	otherRegion,
	heldSpace,
	idleBlock,
	blockNearlyFull,
	nearlyFull,
	doesNotFit,
	outgrown,
	noZoneRoom,
	naming,
	labels,
	slots,
	zoneless,
	sizes,
	twoRanges,
	conflicts,
	halves,
	detached,
	leftOnMain,
	access,
	wayOut,
	noRouteBack,
	deadRoutes,
	passesNothingOn,
	sitesWithoutWayBack,
	strandedNATs,
	natLoops,
	oneFamily,
	otherZone,
	neverWins,
	changesNothing,
	ownAway,
	forwardsNothing,
	seesHalf,
	sharedFirewall,
	noPublicIPv6,
	knowsMore,
	tierInOneZone,
	oneZone,
	oneTarget,
	noTargets,
	targetUnreached,
	targetDeaf,
	tooManyRoutes,
	tooManyRules,
	tooManyPeerings,
	crowdedNAT,
	idlePublic,
	idleGateway,
	idlePeering,
	idleSite,
	idleAttachment,
	idleHubLink,
	idleHubTable,
	beyond,
	twoWays,
	twoGateways,
	idle,
	idleGroup,
	noGroup,
	emptyGroups,
	foreignGroup,
	nobodyThere,
	unheard,
	unreachableServers,
	mtuDiffers,
	noReplyRoom,
	shadowed,
	needless,
	wideOpen,
	letsAllOut,
	openPort,
	reflects,
	plainText,
	allPrivate,
	sameMembers,
	nothingPasses,
	noICMP,
	nobodyAsks,
	untried,
	saidTwice,
	waivesNothing,
}

// Run runs the rules of some topics on an estate, of all when none is given, and gives the findings in the order of
// the plan.
func Run(e *estate.Estate, topics ...Topic) []diag.Finding {
	var all []diag.Finding
	for _, r := range Rules {
		wanted := len(topics) == 0
		for _, t := range topics {
			wanted = wanted || t == r.Topic
		}
		if wanted {
			x := &run{Estate: e, code: r.Code}
			r.run(x)
			all = append(all, x.findings...)
		}
	}
	diag.Sort(all)
	return all
}

// Refused are the findings for which a cloud that is like the estate's profile would not take the plan, however it is built: what is of a size
// or a number that it does not have, networks that are peered and overlap, ranges of one network that do, and subnets with two of a family.
func Refused(e *estate.Estate) []diag.Finding {
	var all []diag.Finding
	for _, r := range []Rule{sizes, twoRanges, tooManyRoutes, tooManyRules, tooManyPeerings, peeredOverlaps, ownOverlaps} {
		x := &run{Estate: e, code: r.Code}
		r.run(x)
		all = append(all, x.findings...)
	}
	diag.Sort(all)
	return all
}

// run is one rule at work.
type run struct {
	*estate.Estate
	code     diag.Code
	findings []diag.Finding
}

// report adds a finding of the rule, with what would be right in words; a fix by edits is added with by.
func (r *run) report(severity diag.Severity, at text.Pos, place text.Path, advice, format string, args ...any) {
	r.findings = append(r.findings, diag.Finding{Code: r.code, Severity: severity, At: at, Place: place, Message: fmt.Sprintf(format, args...), Fixes: diag.Advise(advice)})
}

// choice gives the finding that was reported last a fix that is made when a person chooses it by a word; advice says what it
// takes beside its edits.
func (r *run) choice(word string, edits ...text.Edit) {
	f := &r.findings[len(r.findings)-1]
	f.Fixes = append(f.Fixes, diag.Fix{Edits: edits, Choice: word})
}

// takes gives the finding that was reported last a fix for which a person must give a word.
func (r *run) takes(what, advice string, edits func(word string) ([]text.Edit, error)) {
	f := &r.findings[len(r.findings)-1]
	f.Fixes = append(f.Fixes, diag.Fix{Advice: advice, Choice: what, Takes: edits})
}

// remove is the word for the fix that takes out what is of no use.
const remove = "remove"

// takesOut gives the finding that was reported last the fix that takes a thing of the plan out, when a person chooses that; not
// for what the pattern of a network gives.
func (r *run) takesOut(n *estate.Network, o estate.Object) {
	if n == nil || !n.FromPattern(o) {
		place := o.Place()
		r.choice(remove, text.Remove(place[:len(place)-1], place[len(place)-1]))
	}
}

// by gives the finding that was reported last a fix by edits, the advice that it has becoming that of the fix.
func (r *run) by(edits ...text.Edit) {
	f := &r.findings[len(r.findings)-1]
	advice := f.Fix()
	f.Fixes = []diag.Fix{{Edits: edits, Advice: advice}}
}
