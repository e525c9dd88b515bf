package store

import "encoding/json"

// asJSON encodes what is kept in a column as JSON. The types kept so can always
// be encoded.
func asJSON(v any) string {
	b, err := json.Marshal(v)
	if err != nil {
		panic("store: " + err.Error())
	}
	return string(b)
}
