package cli

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/verdict"
	"wendrik/internal/export"
	"wendrik/internal/session"
)

// form is a form of export.
type form struct {
	name, what string
	folder     bool
}

// forms are the forms of export, with what each is; those in folders are several files.
var forms = []form{
	{"values", "names and what they came to, as JSON, CSV or shell variables; one alone by its name", false},
	{"tables", "a folder of CSV, a file for each kind of thing", true},
	{"md", "the same tables for a wiki", false},
	{"dns", "zone files, forward and reverse", true},
	{"hosts", "the addresses for a hosts file", false},
	{"yang", "JSON by the models of the IETF: topology, routes, access lists", false},
	{"filters", "the rules that guard a workload or a subnet, for the kernel's packet filter", false},
	{"dhcp", "routers, options and reservations of each subnet", false},
}

func exportCommand() *command {
	long := "Export writes the estate in open formats, for other programs: to standard output, or with -o to a file, or to a folder where there are several. The forms are:\n"
	for _, f := range forms {
		long += "\n  " + fmt.Sprintf("%-8s %s", f.name, f.what)
	}
	long += "\n\nA value alone is named by its place in the plan, as networks.booking.subnets.web-a.range. What a cloud assigns and the plan does not know is the word assigned."
	return &command{
		name: "export", args: "FORM [NAME] [-o PATH]",
		short: "the estate in open formats, for other programs",
		long:  long,
		examples: []example{
			{"wendrik export values -format sh", "variables for a script"},
			{"wendrik export values networks.booking.subnets.web-a.range", "one value alone"},
			{"wendrik export tables -o tables", "a folder of CSV"},
			{"wendrik export dns -domain skerry.example -o zones", "zone files"},
			{"wendrik export filters fare-db", "what guards a workload, for nft"},
			{"wendrik export yang -o estate.json", "for programs that know the models of the IETF"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name := f.planFlag()
			out := f.String("o", "-", "`PATH` the file or folder to write; - for standard output")
			format := f.oneOf("format", "of values: how to write them", "json", "csv", "sh")
			force := f.forceFlag()
			domain := f.String("domain", "estate.internal", "of dns and hosts: the `DOMAIN` of all workloads")
			servers := f.String("servers", "localhost", "of dns: `NAME,...` of the name servers")
			kept := f.Int("ttl", 3600, "of dns: for how many `SECONDS` records are kept; few for a day before what they say moves")
			serial := f.Int("serial", 1, "of dns: the serial `NUMBER` of all zones")
			return func(c *call) (int, error) {
				if len(c.args) == 0 {
					return cannot, &usageError{"export needs to know in which form", "wendrik export values"}
				}
				i := slices.IndexFunc(forms, func(x form) bool { return x.name == c.args[0] })
				if i < 0 {
					return cannot, &usageError{fmt.Sprintf("there is no form %q", c.args[0]), "wendrik help export  lists them"}
				}
				takes := map[string][2]int{"values": {0, 1}, "filters": {1, 1}}[c.args[0]]
				if n := len(c.args) - 1; n < takes[0] || n > takes[1] {
					return cannot, &usageError{fmt.Sprintf("export %s does not take %d names", c.args[0], n), "wendrik help export"}
				}
				if *kept < 1 || *kept > 1<<31-1 { // RFC 2181 section 8
					return cannot, &usageError{fmt.Sprintf("-ttl %d is no time to live", *kept), "from 1 to 2147483647 seconds"}
				}
				if *serial < 0 || *serial > 1<<32-1 {
					return cannot, &usageError{fmt.Sprintf("-serial %d is no serial number", *serial), "from 0 to 4294967295"}
				}
				o, err := c.load(*name, verdict.Needed)
				if err != nil {
					return cannot, err
				}
				x := &exportCall{call: c, e: o.Estate, format: *format, domain: *domain, dns: export.DNS{Domain: *domain, Servers: strings.Split(*servers, ","), Serial: uint32(*serial), TTL: uint32(*kept)}}
				files, err := x.files(c.args[0], c.args[1:])
				if err != nil {
					return cannot, err
				}
				return good, c.export(files, forms[i].folder, *out, *force)
			}
		},
	}
}

// exportCall is one run of export.
type exportCall struct {
	*call
	e      *estate.Estate
	format string
	domain string
	dns    export.DNS
}

func (x *exportCall) files(form string, names []string) ([]export.File, error) {
	one := func(content string) ([]export.File, error) { return []export.File{{Content: content}}, nil }
	switch form {
	case "values":
		return x.values(names)
	case "tables":
		return x.tables()
	case "md":
		var b bytes.Buffer
		for i, t := range export.Tables(x.e) {
			if i > 0 {
				b.WriteString("\n")
			}
			fmt.Fprintf(&b, "## %s\n\n%s\n", strings.ToUpper(t.Name[:1])+t.Name[1:], (&sheet{header: t.Header, rows: t.Rows, wrap: -1}).markdown())
		}
		return one(b.String())
	case "dns":
		files, err := x.dns.Zones(x.e)
		if err != nil {
			return nil, &usageError{err.Error(), "-domain skerry.example -servers ns1.skerry.example,ns2.skerry.example"}
		}
		return files, nil
	case "hosts":
		return one(export.Hosts(x.e, x.domain))
	case "yang":
		return one(export.YANG(x.e))
	case "dhcp":
		return one(export.DHCP(x.e))
	}
	return x.filters(names[0])
}

func (x *exportCall) values(names []string) ([]export.File, error) {
	all := export.Values(x.e)
	if len(names) == 1 {
		for _, v := range all {
			if v.Name() == names[0] {
				return []export.File{{Content: strings.Join(v.Words, "\n") + "\n"}}, nil
			}
		}
		return nil, &usageError{fmt.Sprintf("there is no value %s", names[0]), "wendrik export values -format csv  lists all names" + x.samePlan()}
	}
	content := ""
	switch x.format {
	case "csv":
		content = export.ValuesCSV(all)
	case "sh":
		content = export.ValuesShell(all)
	default:
		content = export.ValuesJSON(all)
	}
	return []export.File{{Content: content}}, nil
}

func (x *exportCall) tables() ([]export.File, error) {
	var files []export.File
	for _, t := range export.Tables(x.e) {
		var b bytes.Buffer
		if err := (&sheet{header: t.Header, rows: t.Rows}).csv(&b); err != nil {
			return nil, err
		}
		files = append(files, export.File{Name: t.Name + ".csv", Content: b.String()})
	}
	return files, nil
}

func (x *exportCall) filters(name string) ([]export.File, error) {
	content := ""
	for _, o := range x.e.Named(name) {
		switch o := o.(type) {
		case *estate.Workload:
			content = export.WorkloadFilters(o)
		case *estate.Subnet:
			if content = export.SubnetFilters(o); content == "" {
				return nil, &usageError{fmt.Sprintf("subnet %s has no list", name), "name a workload, or a subnet that has one"}
			}
		}
	}
	if content == "" {
		return nil, &usageError{fmt.Sprintf("there is no workload or subnet %s", name), "wendrik show  lists what there is"}
	}
	return []export.File{{Content: content}}, nil
}

// export writes files to a folder, or a single one to a file or standard output.
func (c *call) export(files []export.File, folder bool, out string, force bool) error {
	if len(files) == 0 {
		c.tell("the plan has nothing of that; nothing was written")
		return nil
	}
	if out == "-" {
		if folder && len(files) > 1 {
			for _, f := range files { // one after another, each with its name
				c.say("# %s", f.Name)
				c.say("%s", strings.TrimSuffix(f.Content, "\n"))
			}
			return nil
		}
		_, err := c.out.Write([]byte(files[0].Content))
		return err
	}
	if !folder {
		if err := c.overwrite(out, []byte(files[0].Content), force); err != nil {
			return err
		}
		c.say("written to %s", clean(out))
		return nil
	}
	if err := os.MkdirAll(out, 0o755); err != nil {
		return &usageError{fmt.Sprintf("%s cannot be made: %s", out, session.Reason(err)), "name another folder with  -o"}
	}
	for _, f := range files { // none is written where one may not be
		if err := c.mayOverwrite(filepath.Join(out, f.Name), []byte(f.Content), force); err != nil {
			return err
		}
	}
	for _, f := range files {
		if err := c.overwrite(filepath.Join(out, f.Name), []byte(f.Content), force); err != nil {
			return err
		}
	}
	c.say("written to %s: %d files", clean(out), len(files))
	return nil
}
