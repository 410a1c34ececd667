package change

import (
	"encoding/json"
	"reflect"
)

// Verdict is how an edit meets the present state of its field.
type Verdict string

// The verdicts of Merge.
const (
	// Applies: the field is as it was when the edit was made.
	Applies Verdict = "applies"
	// Nothing: the field already has the edit's value.
	Nothing Verdict = "nothing"
	// Conflict: somebody else has set it to a third value since.
	Conflict Verdict = "conflict"
)

// Merge compares the value that an edit was based on, the one that the field
// has now and the edit's own. Values are compared by meaning: the order of
// keys and spaces in their JSON does not count.
func Merge(base, now, theirs json.RawMessage) Verdict {
	switch {
	case Same(now, theirs):
		return Nothing
	case Same(base, now):
		return Applies
	}
	return Conflict
}

// Same reports whether two values mean the same; nil and null do.
func Same(a, b json.RawMessage) bool {
	if isNull(a) || isNull(b) {
		return isNull(a) && isNull(b)
	}
	var x, y any
	if json.Unmarshal(a, &x) != nil || json.Unmarshal(b, &y) != nil {
		return string(a) == string(b)
	}
	return reflect.DeepEqual(x, y)
}
