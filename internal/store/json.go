package store

import "encoding/json"

func fromJSON(s string, v any) error { return json.Unmarshal([]byte(s), v) }

// asJSON encodes what is kept in a column as JSON. The types kept so can always
// be encoded.
func asJSON(v any) string {
	b, err := json.Marshal(v)
	if err != nil {
		panic("store: " + err.Error())
	}
	return string(b)
}
