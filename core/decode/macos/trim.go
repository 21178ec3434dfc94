package macos

import (
	"encoding/base64"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/decode/plist"
	"rolltop.example/rolltop/core/decode/smbios"
)

// maxText is how much of a text is kept, in bytes.
const maxText = 512

// Trim keeps of a tool's output what may be kept, as JSON: only values under
// the keys named, and lists and groups on the way to them.
func Trim(form Form, keys []string, out []byte) ([]byte, error) {
	var v any
	var err error
	switch form {
	case Text:
		return out[:min(len(out), maxText)], nil
	case Mark:
		return nil, nil
	case JSON:
		if err = json.Unmarshal(out, &v); err != nil {
			return nil, fmt.Errorf("the output is no JSON: %w", err)
		}
	default:
		if v, err = plist.Decode(out); err != nil {
			return nil, err
		}
	}
	return json.Marshal(keep(v, keys))
}

func keep(v any, keys []string) any {
	switch v := v.(type) {
	case map[string]any:
		out := map[string]any{}
		for k, inner := range v {
			if slices.Contains(keys, k) {
				out[k] = keep(inner, keys)
			}
		}
		return out
	case []any:
		out := make([]any, 0, len(v))
		for _, inner := range v {
			out = append(out, keep(inner, keys))
		}
		return out
	}
	return v
}

// tree reads what [Trim] kept.
func tree(raw []byte) any {
	var v any
	if json.Unmarshal(raw, &v) != nil {
		return nil
	}
	return v
}

// find is the first value under a key, from the outside in; at one depth, maps
// are looked through in the order of their keys.
func find(v any, key string) any {
	level := []any{v}
	for len(level) > 0 {
		var next []any
		for _, v := range level {
			switch v := v.(type) {
			case map[string]any:
				if found, ok := v[key]; ok {
					return found
				}
				for _, k := range sortedKeys(v) {
					next = append(next, v[k])
				}
			case []any:
				next = append(next, v...)
			}
		}
		level = next
	}
	return nil
}

func sortedKeys(m map[string]any) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return keys
}

// Redact hides, in what [Trim] kept of the platform's answer, the serial number
// and the UUID, and the same in the firmware tables of older Macs.
func Redact(raw []byte, hide func([]byte) []byte) []byte {
	v := tree(raw)
	var walk func(any)
	walk = func(v any) {
		switch v := v.(type) {
		case []any:
			for _, inner := range v {
				walk(inner)
			}
		case map[string]any:
			for k, inner := range v {
				text, _ := inner.(string)
				switch {
				case k == "IOPlatformSerialNumber" && text != "":
					v[k] = string(hide([]byte(text))[:16])
				case k == "IOPlatformUUID" && text != "":
					h := hide([]byte(strings.ToLower(text)))
					v[k] = fmt.Sprintf("%s-%s-%s-%s-%s", h[:8], h[8:12], h[12:16], h[16:20], h[20:32])
				case k == "SMBIOS":
					table, err := base64.StdEncoding.DecodeString(text)
					if err != nil {
						delete(v, k)
						continue
					}
					v[k] = base64.StdEncoding.EncodeToString(smbios.Redact(table, hide))
				default:
					walk(inner)
				}
			}
		}
	}
	walk(v)
	out, err := json.Marshal(v)
	if err != nil {
		return nil
	}
	return out
}
