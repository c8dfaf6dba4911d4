package cli

import (
	"fmt"
	"strings"
)

// assurance is a sentence that promises something: what it says, which commands say it, what is looked at before they do, what is
// not, and the test that tries to make it false. No other sentence may promise anything.
type assurance struct {
	words    string // with the verbs of fmt for what differs
	commands string
	looks    string
	not      string
	test     string // PACKAGE TestName, of this module's internal/
}

// say is the sentence.
func (a *assurance) say(args ...any) string { return fine.Sprint(a.plain(args...)) }

func (a *assurance) plain(args ...any) string {
	if len(args) == 0 {
		return a.words
	}
	return fmt.Sprintf(a.words, args...)
}

const plansOnly = "what the plan does not say: what runs on the workloads, and what a cloud does otherwise than its profile"

var (
	nothingWrong = &assurance{"nothing is wrong", "check", "each rule of `wendrik help rules`, on every network, table, route, group, list and workload, in both families; each line of `expect`",
		"what no rule is about; findings that are waived, which are counted beside it", "core/check TestCases"}
	nothingElseWrong = &assurance{"nothing else is wrong in what could be read", "check", "the same, of what could be read",
		"what stands where the problems are, which are told before it", "core/check TestCases"}
	lineHolds = &assurance{"holds", "check, rehearse", "by `check`: every pair of workloads that the line speaks of, every address of the internet and of a site, both families, there and back. By `rehearse`: the exchanges of real packets that the line speaks of",
		"by `rehearse`: what lies between the ports and addresses that are tried", "core/expect TestRunAgainstPairs"}
	nothingToFix = &assurance{"there is nothing to fix", "check -fix", "all findings of `check`, and what repairs each", "what only a person can decide, which is asked", "core/mend TestRandomFixes"}

	nothingForeseen = &assurance{"no block is foreseen to run out", "forecast", "every block of the plan, with what came in the past and what is said to come each month; where no block could give it, it is not said",
		"what comes otherwise than it did; claims in a store", "core/forecast TestAgainstCarve"}

	nothingDifferent = &assurance{"nothing is different", "compare", "each key of both plans, and all of the next line", plansOnly, "core/compare TestAgainstAllPairs"}
	nothingOpens     = &assurance{"nothing opens", "compare", "every pair of workloads, every address of the internet and of each site, all flows, both families, there and back, in both plans",
		plansOnly + "; of the internet, the addresses that one of the plans gives to a network or a workload, which are told of that", "core/compare TestAgainstAllPairs"}
	nothingCloses    = &assurance{"nothing closes", "compare", "the same", "the same", "core/compare TestAgainstAllPairs"}
	nothingOpensByIt = &assurance{"nothing opens by it, and nothing closes", "drift", "the same, of the plan and of what is at the cloud, read as a plan", "what the cloud has and the plan has no word for, which is listed", "build TestDriftIsFound"}
	nothingOpensElse = &assurance{"nothing else opens", "reach -fix", "all that `compare` looks at, of the plan with the fixes, but for what was asked", plansOnly, "core/repair TestFixesOpen"}
	enoughRoom       = &assurance{"every tier has room for what the plan says", "grow", "each tier with `hosts`, in each zone or region that it is for, with its growth", "tiers that say no hosts; subnets that say their size", "core/grow TestRandomGrowth"}
	noneTooSmall     = &assurance{"no subnet that has a range is too small for its tier", "grow", "the same, of networks that have ranges", "networks without a range yet, which are told; subnets that say their size", "core/grow TestRandomGrowth"}
	sameBeforeAfter  = &assurance{"who reaches whom is the same before and after", "renumber", "all that `compare` looks at, with what moves known by its name", plansOnly, "core/renumber TestRandomMoves"}
	sameMeant        = &assurance{"all that is bound to a thing is bound to the same one as before", "rename", "each subnet, table, route, rule, group, list, gateway, workload, join, site and cluster of the plan, what rules name, whom each line of `expect` speaks of, and what is waived", "what stands outside the plan under the old name", "core/rename TestAnswers"}
	cleanSteps       = &assurance{"in every state between, nothing is cut and nothing opened that is not meant", "steps, build", "each state, read as a plan: all that `compare` looks at, against what passes before, or after all",
		plansOnly + "; what passes while one step is being made", "core/steps TestEveryState"}
	bothSame     = &assurance{"nothing is to be done: both say the same", "steps", "each key of both plans", "", "core/steps TestEveryState"}
	nothingStops = &assurance{"%s taken out, one at a time: nothing stops but what is gone itself", "outage", "each zone, gateway, peering, hub, link and workload that forwards, alone: every pair that passes while all stands",
		"two at once, but with `-pairs`; parts that fail in part", "core/outage TestAgainstAllPairs"}
	nothingOverlaps      = &assurance{"nothing overlaps", "overlaps", "every pair of networks, subnets, held ranges, sites and clusters", "ranges that the plan does not name", "core/overlap TestAgainstEveryPair"}
	nothingOverlapsHere  = &assurance{"nothing overlaps in what could be read", "overlaps", "the same, of what could be read", "what stands where the problems are", "core/overlap TestAgainstEveryPair"}
	nothingOverlapsLists = &assurance{"nothing overlaps in %s", "overlaps -list", "every pair of the ranges of a list of which each line could be read", "ranges that are not in it", "core/ranges TestOverlapsAgainstEveryPair"}
	nothingBeside        = &assurance{"nothing of %s overlaps with the plan", "overlaps -list -plan", "every range of the list, and each network, subnet, held range, site and cluster of the plan", "ranges that neither names; lines that could not be read, which are told", "core/overlap TestListAgainstEveryPair"}
	joinsCleanly         = &assurance{"nothing that either side can meet overlaps", "join", "every range that a packet of either side can get to once they are joined", "ranges that the plan does not name", "core/join TestRandomJoins"}
	nothingLacksJoined   = &assurance{"%s are joined by %s, and nothing is missing", "join", "the halves, and in each table of both sides the routes to the other", "groups and lists: `reach` tells what passes", "core/join TestRandomJoins"}
	nothingPassesAlready = &assurance{"nothing passes from %s as it is", "cut", "every pair of the two sides, all addresses, both families", plansOnly, "core/cut TestRandomCuts"}
	cutsNoMore           = &assurance{"nothing else closes, and nothing opens", "cut", "all that `compare` looks at, of the plan as it would be written, but for what was asked", plansOnly, "core/cut TestRandomCuts"}
	neverStays           = &assurance{"no line of expect that says never is broken by it", "wire", "each line of `expect` that says never and held, on the plan as it would be written: every pair that it speaks of, all addresses, both families", "lines that did not hold before", "core/wire TestNeverIsNever"}
	nothingLacks         = &assurance{"nothing is missing: the plan has all that follows from what it states", "wire", "what tiers, joins and lines of `expect` call for", "what the plan does not state", "core/wire TestStatements"}

	allAgree         = &assurance{"all agree", "rehearse", "every exchange that was tried with real packets, and what `reach` says of it", "what the page of `rehearse` lists as not tried; what the kernel does otherwise than a cloud", "rehearse TestRandomEstates"}
	allAsItIs        = &assurance{"all as it should be", "rehearse -steps", "the same, in each state; and that connections stay open", "the same", "rehearse TestStandingNetwork"}
	noDrift          = &assurance{"no drift", "drift", "each property of each thing of the plan at the cloud, read anew, and things that the plan does not have", "what the driver does not tell; labels that the plan has no word for, which are counted; what is outside of a `scope`", "build TestDriftIsFound, TestLabelsOfOthers, TestScopes"}
	noDriftButWaived = &assurance{"but for what is waived, what is there is what the plan says", "drift", "the same", "the same, and what is waived, which is counted and, with `-waived`, listed", "cli TestDriftWaived"}
	planTrue         = &assurance{"the plan is true at ", "build", "each property of each thing of the plan, looked at again once all calls are done", "what the driver does not tell, what is outside of a `scope`, and what others do from then on", "cli TestLookedAtAgain"}
	nothingToDo      = &assurance{"nothing is to be done: ", "build", "each property of each thing of the plan at the cloud, read anew", "what the driver does not tell", "build TestRandomPlansAreBuilt"}
	nothingWasToDo   = &assurance{"nothing was to be done: ", "build", "the same", "the same", "build TestRandomPlansAreBuilt"}
	asProtocol       = &assurance{"all is as the protocol wants it", "driver -try", "each check of `docs/driver.md`, with things that are made and taken back", "kinds that the driver says it does not have, which are told", "cloud/try TestKnownMistakes"}
)

// assurances are all of them, in the order of the page.
var assurances = []*assurance{nothingWrong, nothingElseWrong, lineHolds, nothingToFix, nothingDifferent, nothingOpens, nothingCloses, nothingOpensByIt, nothingOpensElse, sameBeforeAfter,
	cleanSteps, bothSame, nothingStops, sameMeant, enoughRoom, noneTooSmall, nothingForeseen, nothingOverlaps, nothingOverlapsHere, nothingOverlapsLists, nothingBeside, joinsCleanly, nothingLacksJoined, nothingPassesAlready, cutsNoMore, neverStays, nothingLacks, allAgree, allAsItIs, noDrift, noDriftButWaived, planTrue, nothingToDo, nothingWasToDo, asProtocol}

// helpAssurances tells them, or writes docs/assurances.md.
func (c *call) helpAssurances(format string) (int, error) {
	told := func(words string) string { return strings.TrimSuffix(strings.ReplaceAll(words, "%s", "…"), ": ") }
	if format == "text" {
		for _, a := range assurances {
			c.say("%s  (%s)", fine.Sprint(told(a.words)), a.commands)
			c.say("  looked at: %s", c.wrap(4, a.looks))
			if a.not != "" {
				c.say("  and not:   %s", c.wrap(4, a.not))
			}
		}
		return good, nil
	}
	c.say("# What is promised\n")
	c.say("Each sentence of an answer that promises something stands here with what it rests on, and no other promises anything: tests hold the program against this list. `wendrik help assurances` tells it, too.\n")
	t := &sheet{header: []string{"sentence", "said by", "what is looked at", "what is not", "the test that tries to make it false"}}
	for _, a := range assurances {
		where, test, _ := strings.Cut(a.test, " ")
		t.add(told(a.words), a.commands, strings.ReplaceAll(a.looks, "`", ""), strings.ReplaceAll(a.not, "`", ""), test+" in internal/"+where)
	}
	return good, c.write(t, "md")
}
