package plan

import (
	"encoding/json"

	"wendrik/internal/core/profile"
)

// shape is a fragment of JSON Schema (draft 2020-12).
type shape map[string]any

var (
	aWord        = shape{"type": []string{"string", "number"}}
	aName        = shape{"type": "string", "pattern": nameForm.String()}
	aCount       = shape{"type": "integer", "minimum": 0}
	aPositive    = shape{"type": "integer", "minimum": 1}
	aDate        = shape{"type": "string", "pattern": `^\d{4}-\d{2}-\d{2}$`}
	aFlag        = shape{"type": "boolean"}
	aSize        = shape{"type": "string", "pattern": `^/([0-9]{1,2}|1[01][0-9]|12[0-8])$`}
	aRange       = shape{"type": "string", "pattern": `^[0-9a-fA-F.:]+/[0-9]{1,3}$`}
	aRangeOrName = shape{"type": "string", "pattern": `^([0-9a-fA-F.:]+/[0-9]{1,3}|[a-z][a-z0-9-]*(/[a-z][a-z0-9-]*)?)$`}
	aPercentage  = shape{"type": "string", "pattern": "^[0-9]{1,5}%$"}
	anAddress    = shape{"type": "string", "pattern": `^[0-9a-fA-F.:]+$`}
	// A public address is written, or the word for one that the cloud gives.
	publicAddress = shape{"oneOf": []shape{enum(Assigned), anAddress, {"type": []string{"array", "null"}, "items": anAddress}}}
	// An attachment is a hub table's name, or a mapping that says more.
	anAttachment = shape{"oneOf": []shape{aName, ref("attachment")}}
	aProfile     = shape{"oneOf": []shape{enum(profile.Names()...), ref("profile")}}
)

// listOf is a list, or a single value that stands for a list of one.
func listOf(s shape) shape {
	return shape{"oneOf": []shape{s, {"type": []string{"array", "null"}, "items": s}}}
}

// mapOf is a mapping from names.
func mapOf(s shape) shape {
	return shape{"type": []string{"object", "null"}, "propertyNames": aName, "additionalProperties": s}
}

func enum(words ...string) shape { return shape{"enum": words} }

func ref(name string) shape { return shape{"$ref": "#/$defs/" + name} }

// object is the shape of a mapping with known keys.
func object[T any](fields []field[T]) shape {
	properties, required := shape{}, []string{}
	for _, f := range fields {
		one := shape{"description": f.doc}
		for k, v := range f.shape {
			one[k] = v
		}
		properties[f.key] = one
		if f.required {
			required = append(required, f.key)
		}
	}
	s := shape{"type": "object", "additionalProperties": false, "properties": properties}
	if len(required) > 0 {
		s["required"] = required
		return s
	}
	s["type"] = []string{"object", "null"}
	return s
}

// Schema is the JSON Schema (draft 2020-12) of a plan, made from the tables that read it. It says what a mapping may
// hold and the form of each value; names and ranges are bound and compared only by the program.
func Schema() ([]byte, error) {
	s := object(planFields)
	s["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	s["title"] = "a plan of an estate"
	s["$defs"] = shape{
		"profile":    object(profileFields),
		"block":      object(blockFields),
		"network":    object(networkFields),
		"tier":       object(tierFields),
		"held":       object(heldFields),
		"cluster":    object(clusterFields),
		"subnet":     object(subnetFields),
		"gateway":    object(gatewayFields),
		"table":      object(tableFields),
		"route":      object(routeFields),
		"hub-route":  object(hubRouteFields),
		"dhcp":       object(dhcpFields),
		"group":      object(groupFields),
		"list":       object(listFields),
		"workload":   object(workloadFields),
		"peering":    object(peeringFields),
		"hub":        object(hubFields),
		"hub-table":  object(hubTableFields),
		"attachment": object(attachmentFields),
		"hub-link":   object(hubLinkFields),
		"site":       object(siteFields),
		"waiver":     object(waiverFields),
	}
	return json.MarshalIndent(s, "", "  ")
}
