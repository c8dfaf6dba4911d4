package check

import (
	"fmt"
	"slices"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/phrase"
)

// This file judges which services groups leave open to the internet.

// service is one by its name in the IANA registry of service names and port numbers, or in words where that says little.
type service struct {
	name     string
	port     uint16
	tcp, udp bool
}

// sensitive are services for logins, files and databases.
var sensitive = []service{
	{"ssh", 22, true, false}, {"telnet", 23, true, false}, {"exec", 512, true, false}, {"login", 513, true, false}, {"shell", 514, true, false},
	{"ms-wbt-server", 3389, true, false}, {"rfb", 5900, true, false}, {"wsman", 5985, true, false}, {"wsmans", 5986, true, false},
	{"ms-sql-s", 1433, true, false}, {"mysql", 3306, true, false}, {"postgresql", 5432, true, false}, {"redis", 6379, true, false},
	{"remote procedures", 111, true, true}, {"netbios-ssn", 139, true, false}, {"ldap", 389, true, true}, {"file shares", 445, true, false},
	{"file copies", 873, true, false}, {"nfs", 2049, true, true}, {"the control of containers", 2375, true, false}, {"caches", 11211, true, true},
}

// reflecting are services that answer a short question over UDP with a long answer, to whoever the question says that it is from.
var reflecting = []service{
	{"qotd", 17, false, true}, {"chargen", 19, false, true}, {"domain", 53, false, true}, {"tftp", 69, false, true}, {"ntp", 123, false, true},
	{"snmp", 161, false, true}, {"ssdp", 1900, false, true}, {"mdns", 5353, false, true},
}

// readable are services that send passwords so that everybody on the way can read them; for each there is one that does not.
var readable = []service{
	{"ftp", 21, true, false}, {"pop3", 110, true, false}, {"imap", 143, true, false}, {"mqtt", 1883, true, false}, {"amqp", 5672, true, false},
}

var openPort = Rule{"open-port", Guards, "A group that lets the whole internet in on a port for logins or databases, of a workload that the internet gets to, and that no line of expect wants.", func(r *run) {
	r.open(sensitive, "name the ranges or the group that it is for")
}}

var reflects = Rule{"reflects", Guards, "A group that lets the whole internet in on a service that answers forged questions with long answers (RFC 5358), of a workload that the internet gets to, and that no line of expect wants.", func(r *run) {
	r.open(reflecting, "name the ranges or the group that it is for, since anybody can have its answers sent to somebody else")
}}

var plainText = Rule{"plain-text", Guards, "A group that lets the whole internet in on a service that sends passwords as they are (RFC 8314), of a workload that the internet gets to, and that no line of expect wants.", func(r *run) {
	r.open(readable, "serve it with TLS on its other port, or name the ranges or the group that it is for")
}}

// open reports rules that let the internet in on one of some services, to a workload that the internet gets to, and that no line of expect
// wants.
func (r *run) open(services []service, advice string) {
	for _, n := range r.Networks {
		for _, g := range n.Groups {
			i := slices.IndexFunc(g.Members, exposed)
			if i < 0 {
				continue
			}
			for _, x := range g.In {
				if !nearlyEverywhere(x) || x.Flows.Covers(flow.Any()) && everywhere(x) {
					continue
				}
				var open []string
				spans := x.Flows.Minus(r.meant(g)).Spans()
				lets := func(protocol string, port uint16) bool {
					return slices.ContainsFunc(spans, func(y flow.Span) bool { return y.Protocol == protocol && y.First <= port && port <= y.Last })
				}
				for _, p := range services {
					if p.tcp && lets("tcp", p.port) {
						open = append(open, fmt.Sprintf("%s (tcp/%d)", p.name, p.port))
					} else if p.udp && lets("udp", p.port) {
						open = append(open, fmt.Sprintf("%s (udp/%d)", p.name, p.port))
					}
				}
				if len(open) > 0 {
					r.report(diag.Warning, x.At, g.Place().To("in"), "", "group %s lets %s in on %s, and the internet gets to workload %s", g.ID(), howMuch(x), phrase.And(open), g.Members[i].Name)
					r.narrows(g, n, x, advice)
				}
			}
		}
	}
}
