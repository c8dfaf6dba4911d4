package sim

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"wendrik/internal/cloud"
	"wendrik/internal/core/stock"
)

// This file describes the interface in OpenAPI 3.1, from the table of kinds that the cloud itself goes by.

type object = map[string]any

func refTo(name string) object { return object{"$ref": "#/components/schemas/" + name} }

// typeName is the name of a kind's schema: HubTable.
func typeName(k stock.Kind) string {
	var b strings.Builder
	up := true
	for _, r := range string(k) {
		if r == '-' {
			up = true
			continue
		}
		if up {
			r = unicode.ToUpper(r)
		}
		up = false
		b.WriteRune(r)
	}
	return b.String()
}

// schemaOf is the JSON Schema of a property.
func schemaOf(p *stock.Prop) object {
	word := object{"type": "string"}
	switch {
	case len(p.Enum) > 0:
		word["enum"] = p.Enum
	case p.Format == stock.Ranges:
		word["description"] = "a CIDR block with its host bits zero (RFC 4632)"
		word["examples"] = []string{"10.144.0.0/20"}
	case p.Format == stock.Addresses:
		word["description"] = "an address of IPv4 or IPv6 (RFC 5952)"
		word["examples"] = []string{"10.144.0.10"}
	case p.Format == stock.Flows:
		word["description"] = "flows: tcp/443, tcp/8000-8100, udp, icmp, any, or several with commas"
		word["examples"] = []string{"tcp/443"}
	case len(p.Of) > 0:
		var kinds []string
		for _, k := range p.Of {
			kinds = append(kinds, string(k))
		}
		word["description"] = "the id of a " + strings.Join(kinds, ", ")
		if slices.Contains(p.Of, stock.Gateway) {
			word["description"] = word["description"].(string) + "; or " + stock.Blackhole
		}
	}
	var s object
	switch p.Shape {
	case stock.Flag:
		s = object{"type": "boolean", "default": false}
	case stock.Words:
		s = object{"type": "array", "items": word, "maxItems": maxItems}
	case stock.Pairs:
		s = object{"type": "object", "additionalProperties": word}
	case stock.Rules:
		s = object{"type": "array", "items": refTo("Rule"), "maxItems": maxItems}
	default:
		s = word
	}
	if d, has := s["description"]; has {
		s["description"] = fmt.Sprintf("%s; %s", p.Doc, d)
	} else {
		s["description"] = p.Doc
	}
	if p.Fixed {
		s["description"] = s["description"].(string) + ". It cannot be changed."
	}
	return s
}

// Description is the description of the interface, as OpenAPI 3.1 has it.
func Description() object {
	schemas := object{
		"Rule": object{"type": "object", "description": "one line of a group or list; its far end is a range or a group, or all when it has neither", "required": []string{"flows"}, "additionalProperties": false,
			"properties": object{"action": object{"type": "string", "enum": []string{"allow", "deny"}, "description": "of a list, and there alone"}, "flows": object{"type": "string", "examples": []string{"tcp/443"}},
				"range": object{"type": "string", "examples": []string{"10.144.0.0/20"}}, "group": object{"type": "string", "description": "the id of a group"}}},
		"State":   object{"type": "string", "enum": []cloud.State{cloud.Asked, cloud.Pending, cloud.Ready, cloud.Failed}, "description": "asked: it waits for a side to accept; pending: it takes its time; failed: remove it, or change it again"},
		"Labels":  object{"type": "object", "additionalProperties": object{"type": "string", "maxLength": 4 * maxWord}, "maxProperties": 64, "description": "words under words; keys that begin with cloud- are the cloud's own, and cloud-given-address is the public address it gave to what has assigned"},
		"Problem": object{"type": "object", "description": "what says no (RFC 9457)", "required": []string{"title", "status", "detail", "reason"}, "properties": object{"title": object{"type": "string"}, "status": object{"type": "integer"}, "detail": object{"type": "string"}, "reason": object{"type": "string", "enum": []cloud.Reason{cloud.Invalid, cloud.Denied, cloud.NotFound, cloud.NotReady, cloud.Needed, cloud.Conflict, cloud.Quota, cloud.Limited, cloud.Fault}}, "after_ms": object{"type": "integer", "description": "of limited: when to come again"}}},
		"Entry": object{"type": "object", "description": "one thing that was done", "required": []string{"n", "at", "by", "what", "id"}, "properties": object{"n": object{"type": "integer"}, "at": object{"type": "string", "format": "date-time"}, "by": object{"type": "string"}, "note": object{"type": "string"},
			"what": object{"type": "string", "enum": []string{"make", "change", "remove", "accept"}}, "id": object{"type": "string"}, "before": refTo("Thing"), "after": refTo("Thing")}},
		"Region": object{"type": "object", "required": []string{"name", "zones"}, "properties": object{"name": object{"type": "string"}, "zones": object{"type": "array", "items": object{"type": "string"}}}},
		"Cloud": object{"type": "object", "required": []string{"protocol", "driver", "owners", "regions", "kinds", "log"}, "properties": object{"protocol": object{"type": "integer"}, "driver": object{"type": "string"}, "log": object{"type": "boolean"},
			"owners": object{"type": "array", "items": object{"type": "object", "properties": object{"name": object{"type": "string"}, "ours": object{"type": "boolean", "description": "whether the key is of it"},
				"left": object{"type": "object", "additionalProperties": object{"type": "integer", "minimum": 0}, "description": "how many more things of a kind it may have, of kinds of which that is bounded; of the owner of the key alone"}}}},
			"profile": object{"type": "object", "additionalProperties": object{"type": "string"}}, "regions": object{"type": "array", "items": refTo("Region")}, "kinds": object{"type": "array", "items": object{"type": "string"}}}},
	}
	var any []object
	paths := object{}
	base := object{"kind": object{"type": "string"}, "id": object{"type": "string", "description": "made up by the cloud"}, "name": object{"type": "string"}, "owner": object{"type": "string"}, "labels": refTo("Labels"),
		"state": refTo("State"), "why": object{"type": "string", "description": "of what is failed: why"}, "default": object{"type": "boolean", "description": "whether the cloud made it by itself"},
		"foreign": object{"type": "boolean", "description": "whether it is another owner's, of which only the name is told"}, "by": object{"type": "string", "description": "who changed it last"}, "at": object{"type": "string", "format": "date-time"}}
	for i := range stock.Specs {
		spec := &stock.Specs[i]
		name := typeName(spec.Kind)
		props, otherwise := object{}, object{}
		required := []string{}
		for k := range spec.Props {
			p := &spec.Props[k]
			props[p.Name] = schemaOf(p)
			if !p.Fixed {
				otherwise[p.Name] = object{"anyOf": []object{props[p.Name].(object), {"type": "null"}}}
			}
			if p.Required {
				required = append(required, p.Name)
			}
		}
		schemas[name+"Props"] = object{"type": "object", "properties": props, "additionalProperties": false}
		thing := object{}
		for key, v := range base {
			thing[key] = v
		}
		thing["kind"], thing["props"] = object{"const": string(spec.Kind)}, refTo(name+"Props")
		schemas[name] = object{"type": "object", "description": spec.Doc, "properties": thing, "required": []string{"kind", "id", "name", "owner", "props", "state"}}
		schemas["New"+name] = object{"type": "object", "additionalProperties": false, "required": []string{"name", "props"}, "properties": object{"name": object{"type": "string", "minLength": 1, "maxLength": maxWord}, "labels": refTo("Labels"),
			"props": object{"allOf": []object{refTo(name + "Props"), {"required": required}}},
			"token": object{"type": "string", "description": "the same for each try of the same call: a thing is made once for a token, and given again"}, "note": object{"type": "string", "description": "kept in the log"}}}
		schemas["Change"+name] = object{"type": "object", "additionalProperties": false, "properties": object{"props": object{"type": "object", "description": "the properties that are to be otherwise; null takes one away", "properties": otherwise, "additionalProperties": false},
			"labels": object{"type": "object", "additionalProperties": object{"type": []string{"string", "null"}}}, "note": object{"type": "string"}}}
		any = append(any, refTo(name))
		at := "/v1/" + collection(spec.Kind)
		tag := []string{string(spec.Kind)}
		paths[at] = object{
			"get":  operation("list"+name+"s", tag, "the "+collection(spec.Kind)+" that the owner has, or one of whose sides it has", listParameters, nil, "200", object{"type": "object", "required": []string{"things"}, "properties": object{"things": object{"type": "array", "items": refTo(name)}, "next": object{"type": "string"}}}),
			"post": operation("make"+name, tag, "makes "+spec.Doc, nil, refTo("New"+name), "201", refTo(name)),
		}
		paths[at+"/{id}"] = object{
			"parameters": idParameter,
			"get":        operation("get"+name, tag, "one of them", nil, nil, "200", refTo(name)),
			"patch":      operation("change"+name, tag, "changes one of them", nil, refTo("Change"+name), "200", refTo(name)),
			"delete":     operation("remove"+name, tag, "removes one of them, when nothing else needs it", []object{{"name": "note", "in": "query", "schema": object{"type": "string"}, "description": "kept in the log"}}, nil, "204", nil),
		}
		if spec.Prop("accepted") != nil {
			paths[at+"/{id}/accept"] = object{"parameters": idParameter, "post": operation("accept"+name, tag, "accepts it for a side of the caller's", nil,
				object{"type": "object", "required": []string{"side"}, "additionalProperties": false, "properties": object{"side": object{"type": "string", "description": "the id of the side"}, "note": object{"type": "string"}}}, "200", refTo(name))}
		}
	}
	schemas["Thing"] = object{"oneOf": any}
	page := object{"type": "object", "required": []string{"things"}, "properties": object{"things": object{"type": "array", "items": refTo("Thing")}, "next": object{"type": "string", "description": "asks for the next page; absent on the last"}}}
	paths["/v1/cloud"] = object{"get": operation("getCloud", []string{"cloud"}, "what the cloud is, and whose the key is", nil, nil, "200", refTo("Cloud"))}
	paths["/v1/neighbours"] = object{"get": operation("listNeighbours", []string{"cloud"}, "networks, hubs and sites of other owners, and their tables and groups, by name alone: what a peering, a link, an attachment or a rule can name", nil, nil, "200",
		object{"type": "object", "required": []string{"things"}, "properties": object{"things": object{"type": "array", "items": object{"type": "object", "properties": object{"kind": object{"type": "string"}, "id": object{"type": "string"}, "name": object{"type": "string"}, "owner": object{"type": "string"}, "props": object{"type": "object", "description": "what it is a part of, and nothing else"}, "foreign": object{"const": true}}}}}})}
	paths["/v1/things"] = object{"get": operation("listThings", []string{"cloud"}, "all things, in the order in which they were made", append([]object{{"name": "kind", "in": "query", "schema": object{"type": "string"}}}, listParameters...), nil, "200", page)}
	paths["/v1/things/{id}"] = object{"parameters": idParameter, "get": operation("getThing", []string{"cloud"}, "one thing of any kind", nil, nil, "200", refTo("Thing"))}
	paths["/v1/log"] = object{"get": operation("listLog", []string{"cloud"}, "what was done, the oldest first, 500 at once", []object{{"name": "after", "in": "query", "schema": object{"type": "integer", "minimum": 0}, "description": "only what has a greater n"}}, nil, "200",
		object{"type": "object", "required": []string{"entries", "more"}, "properties": object{"entries": object{"type": "array", "items": refTo("Entry")}, "more": object{"type": "boolean"}}})}
	hold := object{"type": "object", "required": []string{"estate", "token"}, "additionalProperties": false, "properties": object{"estate": object{"type": "string"}, "token": object{"type": "string", "description": "made up by who takes it"},
		"by": object{"type": "string", "description": "who that is"}, "seconds": object{"type": "integer", "minimum": 1, "maximum": 600, "description": "for how long"}}}
	paths["/v1/locks"] = object{"post": operation("lock", []string{"cloud"}, "takes the lock of an estate of the caller's owner, or takes it for longer; refused where another has it", nil, hold, "204", nil),
		"delete": operation("unlock", []string{"cloud"}, "gives it up", nil, hold, "204", nil)}
	paths["/openapi.json"] = object{"get": object{"operationId": "getDescription", "summary": "this description; it needs no key", "security": []object{}, "tags": []string{"cloud"}, "responses": object{"200": object{"description": "the description", "content": object{"application/json": object{"schema": object{"type": "object"}}}}}}}
	return object{
		"openapi": "3.1.0",
		"info": object{"title": "Wendrik's simulated cloud", "version": "1", "description": fmt.Sprintf("A small cloud to build networks in. Every call but this one needs a key: Authorization: Bearer KEY. A body has at most %d bytes. "+
			"Things take their time: what is made or changed is pending for a while, and can be named by others once it is ready. What is refused says why in words and in one word (reason). A call that makes a thing may be made again with the same token, and makes it once.", MaxBody)},
		"servers":    []object{{"url": "/"}},
		"security":   []object{{"key": []string{}}},
		"paths":      paths,
		"components": object{"schemas": schemas, "securitySchemes": object{"key": object{"type": "http", "scheme": "bearer", "description": "the key of an owner"}}, "responses": object{"Refused": object{"description": "no, and why", "content": object{"application/problem+json": object{"schema": refTo("Problem")}}}}},
	}
}

var listParameters = []object{
	{"name": "limit", "in": "query", "schema": object{"type": "integer", "minimum": 1, "maximum": maxPage, "default": pageSize}},
	{"name": "page", "in": "query", "schema": object{"type": "string"}, "description": "next of the page before"},
	{"name": "name", "in": "query", "schema": object{"type": "string"}, "description": "only those of that name"},
	{"name": "label", "in": "query", "schema": object{"type": "array", "items": object{"type": "string"}}, "explode": true, "description": "only those with the label, as KEY=VALUE"},
}

var idParameter = []object{{"name": "id", "in": "path", "required": true, "schema": object{"type": "string"}}}

func operation(id string, tags []string, summary string, parameters []object, body object, status string, out object) object {
	ok := object{"description": "done"}
	if out != nil {
		ok["content"] = object{"application/json": object{"schema": out}}
	}
	o := object{"operationId": id, "tags": tags, "summary": summary, "responses": object{status: ok, "default": object{"$ref": "#/components/responses/Refused"}}}
	if len(parameters) > 0 {
		o["parameters"] = parameters
	}
	if body != nil {
		o["requestBody"] = object{"required": true, "content": object{"application/json": object{"schema": body}}}
	}
	return o
}
