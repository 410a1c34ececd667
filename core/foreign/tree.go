package foreign

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"

	"go.yaml.in/yaml/v3"

	"roster/core/strictjson"
)

// A tree is a document of lists and objects: an object, a []any of trees, or
// the text of anything else.
type (
	object []pair
	pair   struct {
		key   string
		value any
	}
)

// The bounds of a document with lists and objects.
const (
	// maxYAML is less than other lists may have: YAML takes a second for each
	// two million bytes, and a hundred bytes of memory for each of its own.
	maxYAML = 2 << 20
	// maxValues is how many values a list may hold in all. YAML can name a list
	// again and again, and so hold more than its text.
	maxValues = 400_000
	// maxNesting is how deep they may lie; what is below maxDepth is not looked
	// at.
	maxNesting = 100
)

var (
	errValues  = fmt.Errorf("the list has over %d values, or names the same ones again and again", maxValues)
	errNesting = fmt.Errorf("the list has more than %d lists inside one another", maxNesting)
)

// whileWanted reads for as long as ctx says.
type whileWanted struct {
	ctx context.Context
	r   io.Reader
}

func (w whileWanted) Read(p []byte) (int, error) {
	if err := w.ctx.Err(); err != nil {
		return 0, err
	}
	return w.r.Read(p[:min(len(p), 1<<16)])
}

// readJSON reads a document of JSON; keys come in the order of the alphabet,
// of one that is there twice the last.
func readJSON(ctx context.Context, raw []byte) (any, error) {
	d := json.NewDecoder(strictjson.Guard(whileWanted{ctx, bytes.NewReader(raw)}, strictjson.Bounds{Values: maxValues, Depth: maxNesting, Text: MaxBytes}))
	d.UseNumber()
	tree, err := readValue(d)
	if err != nil {
		return nil, fmt.Errorf("this does not read as JSON: %w", err)
	}
	return tree, nil
}

func readValue(d *json.Decoder) (any, error) {
	token, err := d.Token()
	if err != nil {
		return nil, err
	}
	switch token {
	case json.Delim('['):
		list := []any{}
		for d.More() {
			item, err := readValue(d)
			if err != nil {
				return nil, err
			}
			list = append(list, item)
		}
		_, err := d.Token()
		return list, err
	case json.Delim('{'):
		members := map[string]any{}
		for d.More() {
			key, err := d.Token()
			if err != nil {
				return nil, err
			}
			name, _ := key.(string) // the decoder lets nothing else stand there
			if members[name], err = readValue(d); err != nil {
				return nil, err
			}
		}
		var o object
		for _, key := range slices.Sorted(maps.Keys(members)) {
			o = append(o, pair{key, members[key]})
		}
		_, err := d.Token()
		return o, err
	case nil:
		return "", nil
	}
	return fmt.Sprint(token), nil
}

// readYAML reads the first document of YAML.
func readYAML(ctx context.Context, raw []byte) (any, error) {
	if len(raw) > maxYAML {
		return nil, fmt.Errorf("a list in YAML has at most %d MB; save this one as JSON or as a table", maxYAML>>20)
	}
	var n yaml.Node
	if err := yaml.NewDecoder(whileWanted{ctx, bytes.NewReader(raw)}).Decode(&n); err != nil {
		return nil, fmt.Errorf("this does not read as YAML: %w", err)
	}
	left := maxValues
	return plain(&n, &left, 0)
}

// plain takes a node apart, what it names in place of names; left counts down
// how many values there may be.
func plain(n *yaml.Node, left *int, depth int) (any, error) {
	if *left--; *left < 0 {
		return nil, errValues
	}
	if depth > maxNesting {
		return nil, errNesting
	}
	switch n.Kind {
	case yaml.DocumentNode:
		if len(n.Content) == 1 {
			return plain(n.Content[0], left, depth)
		}
	case yaml.AliasNode:
		return plain(n.Alias, left, depth+1)
	case yaml.SequenceNode:
		list := make([]any, len(n.Content))
		for i, item := range n.Content {
			var err error
			if list[i], err = plain(item, left, depth+1); err != nil {
				return nil, err
			}
		}
		return list, nil
	case yaml.MappingNode:
		o := make(object, 0, len(n.Content)/2)
		for i := 0; i+1 < len(n.Content); i += 2 {
			value, err := plain(n.Content[i+1], left, depth+1)
			if err != nil {
				return nil, err
			}
			o = append(o, pair{n.Content[i].Value, value})
		}
		return o, nil
	case yaml.ScalarNode:
		if n.Tag != "!!null" {
			return n.Value, nil
		}
		return "", nil
	}
	return nil, errors.New("the list is empty")
}
