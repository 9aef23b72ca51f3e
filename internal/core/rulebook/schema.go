package rulebook

import "encoding/json"

// SchemaID names the JSON Schema of rulebooks.
const SchemaID = "https://turnvex.invalid/rulebook-1.json"

// Schema returns the JSON Schema (2020-12) of rulebooks, written from the grammar. It accepts what the structure check
// accepts; what expressions and names refer to is beyond it.
func Schema() []byte {
	defs := map[string]any{}
	for _, o := range objects() {
		defs[defName(o)] = objectSchema(o)
	}
	doc := map[string]any{
		"$schema": "https://json-schema.org/draft/2020-12/schema",
		"$id":     SchemaID,
		"title":   "Turnvex rulebook",
		"$ref":    "#/$defs/" + defName(topObject),
		"$defs":   defs,
	}
	out, err := json.MarshalIndent(doc, "", "  ")
	if err != nil {
		panic(err) // plain maps and texts
	}
	return append(out, '\n')
}

func defName(o *object) string {
	b := []byte(o.name)
	for i := range b {
		if b[i] == ' ' {
			b[i] = '_'
		}
	}
	return string(b)
}

func objectSchema(o *object) map[string]any {
	props, required := map[string]any{}, []string{}
	for i := range o.keys {
		k := &o.keys[i]
		p := specSchema(&k.spec)
		p["description"] = k.doc
		if k.def != "" {
			p["default"] = defaultValue(k)
		}
		props[k.name] = p
		if k.required {
			required = append(required, k.name)
		}
	}
	s := map[string]any{"type": "object", "description": o.doc, "additionalProperties": false, "properties": props}
	if len(o.oneOf) == 0 {
		s["type"] = []string{"object", "null"} // a key with nothing behind it has all defaults
	}
	if len(required) > 0 {
		s["required"] = required
		s["type"] = "object"
	}
	if len(o.oneOf) > 0 {
		var one []any
		for _, k := range o.oneOf {
			one = append(one, map[string]any{"required": []string{k}})
		}
		s["oneOf"] = one
	}
	return s
}

func defaultValue(k *key) any {
	var v any
	if (k.spec.shape == anInt || k.spec.shape == aFlag) && json.Unmarshal([]byte(k.def), &v) == nil {
		return v
	}
	return k.def
}

// specSchema is the schema of a value; words that it offers stand first, so that editors propose them.
func specSchema(s *spec) map[string]any {
	if s.shape == aParameter {
		list := spec{shape: aList, elem: &name, max: s.max}
		return map[string]any{"anyOf": []any{map[string]any{"enum": s.words}, specSchema(&list)}}
	}
	if len(s.words) > 0 && s.shape != aWord {
		plain := *s
		plain.words = nil
		return map[string]any{"anyOf": []any{map[string]any{"enum": s.words}, specSchema(&plain)}}
	}
	switch s.shape {
	case anObject:
		return map[string]any{"$ref": "#/$defs/" + defName(s.object)}
	case aMap:
		return map[string]any{
			"type":                 "object",
			"maxProperties":        s.max,
			"propertyNames":        map[string]any{"pattern": keyPattern(s)},
			"additionalProperties": specSchema(s.elem),
		}
	case aList:
		return map[string]any{"type": "array", "maxItems": s.max, "items": specSchema(s.elem)}
	case aWord:
		return map[string]any{"enum": s.words}
	case aName:
		return map[string]any{"type": "string", "pattern": namePattern}
	case aText:
		return map[string]any{"type": "string", "maxLength": s.max}
	case anInt:
		return map[string]any{"type": "integer", "minimum": s.min, "maximum": s.max}
	case aFlag:
		return map[string]any{"type": "boolean"}
	case aDuration:
		return map[string]any{"type": "string", "pattern": durationPattern}
	case aLength:
		return lengthSchema(s.min, s.max)
	case aPoint:
		return map[string]any{"type": "array", "minItems": 2, "maxItems": 2, "items": lengthSchema(0, s.max)}
	case anything:
		return map[string]any{}
	}
	types := []string{"string", "number", "boolean"}
	if s.listed {
		types = append(types, "array")
	}
	return map[string]any{
		"type": types,
		"not":  map[string]any{"pattern": `^\s*$`, "type": "string"},
	}
}

func lengthSchema(least, most int64) map[string]any {
	return map[string]any{"oneOf": []any{
		map[string]any{"type": "integer", "minimum": least, "maximum": most},
		map[string]any{"type": "string", "pattern": lengthPattern},
	}}
}

// keyPattern is the form of a map's keys.
func keyPattern(s *spec) string {
	if s.pattern == nil {
		return namePattern
	}
	return namePattern + "|" + s.pattern.String()
}
