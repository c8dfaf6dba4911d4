package plan

import (
	"bytes"
	"os"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v4"

	"wendrik/internal/core/text"
	"wendrik/internal/golden"
)

const published = "../../../docs/plan.schema.json"

// TestPublishedSchema holds the schema in docs against the tables that read a plan.
func TestPublishedSchema(t *testing.T) {
	made, err := Schema()
	require.NoError(t, err)
	made = append(made, '\n')
	if *golden.Update {
		require.NoError(t, os.WriteFile(published, made, 0o644))
	}
	have, err := os.ReadFile(published)
	require.NoError(t, err)
	require.True(t, bytes.Equal(made, have), "the published schema is not the one of the tables: run  go test ./internal/core/plan -update")
}

// TestSchemaAgreesWithDecoder asks both about texts that are right and texts that are wrong in form.
func TestSchemaAgreesWithDecoder(t *testing.T) {
	raw, err := Schema()
	require.NoError(t, err)
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(raw))
	require.NoError(t, err)
	compiler := jsonschema.NewCompiler()
	require.NoError(t, compiler.AddResource("plan.json", doc))
	schema, err := compiler.Compile("plan.json")
	require.NoError(t, err)

	whole, err := os.ReadFile("whole.yaml")
	require.NoError(t, err)
	example, err := os.ReadFile("../../../examples/skerry-line/wendrik.yaml")
	require.NoError(t, err)
	texts := map[string]bool{string(whole): true, string(example): true}
	for change, right := range map[string]bool{
		"size: /20 -> size: 20":                                     false,
		"size: /20 -> size: /129":                                   false,
		"hosts: 120 -> hosts: many":                                 false,
		"access: public -> access: open":                            false,
		"kind: internet -> kind: inet":                              false,
		"kind: internet, attached -> attached":                      false,
		"main: true -> main: maybe":                                 false,
		"estate: skerry-line -> estat: skerry-line":                 false,
		"  west: [west-a -> West: [west-a":                          false,
		"to: 10.148.0.0/16, via -> via":                             false,
		"groups: [web], -> groups: web,":                            true,
		"groups: [web], -> group: [web],":                           false,
		"accepted: [booking, harbour] -> accepted:":                 true,
		"profile: zonal -> profile: zone":                           false,
		"knows: [10.144.0.0/12, harbour] -> knows: All":             false,
		"region: west\n    from -> region: [west, north]\n    from": true,
		"growth: 50% -> growth: 50":                                 false,
		"layout: zones -> layout: zone":                             false,
		"owner: payments, -> ownr: payments,":                       false,
		"in: harbour, pods -> pods":                                 false,
		"address: 10.144.0.10, -> address: here,":                   false,
		"routes: [] -> routes: {}":                                  false,
	} {
		old, new, _ := strings.Cut(change, " -> ")
		require.Contains(t, string(whole), old)
		texts[strings.Replace(string(whole), old, new, 1)] = right
	}
	for content, right := range texts {
		_, found := Decode(text.One("t", content))
		findings := found.All()
		var value any
		// The library that reads for the schema does not take a plain ::/0 in braces.
		require.NoError(t, yaml.Unmarshal([]byte(strings.ReplaceAll(content, "to: ::/0", `to: "::/0"`)), &value))
		err := schema.Validate(value)
		assert.Equal(t, right, len(findings) == 0, "decoder: %v\n%s", findings, content)
		assert.Equal(t, right, err == nil, "schema: %v\n%s", err, content)
	}
}
