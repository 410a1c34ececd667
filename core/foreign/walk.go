package foreign

import "strings"

// walker finds the records in a tree of lists and objects.
type walker struct {
	records []map[string]string
	order   []string
	columns map[string]bool
	// left bounds how many values are looked at; each may be met twice.
	left int
}

// spend counts a value; it reports whether there may be more.
func (w *walker) spend() bool {
	w.left--
	return w.left > 0
}

// pairs are the members of an object; ok is false for anything else.
func pairs(node any) (list []pair, ok bool) {
	o, ok := node.(object)
	return o, ok
}

// walk goes down to whatever names packages: texts in lists, objects that hold
// a name, and objects whose keys are names. What lies above them is their
// group.
func (w *walker) walk(node any, path []string, depth int) {
	if depth > maxDepth || len(w.records) > maxRows || !w.spend() {
		return
	}
	if list, ok := node.([]any); ok {
		for _, item := range list {
			if members, ok := pairs(item); ok && holdsName(members) {
				w.add(path, w.record(members, "", 0))
			} else if text, ok := scalar(item); ok {
				w.add(path, []cell{{valueColumn, text}})
			} else {
				w.walk(item, path, depth+1)
			}
		}
		return
	}
	members, ok := pairs(node)
	if !ok {
		return
	}
	for _, m := range members {
		inner, isObject := pairs(m.value)
		text, isText := scalar(m.value)
		switch {
		case isName(m.key) && isObject:
			w.add(path, append([]cell{{keyColumn, m.key}}, w.record(inner, "", 0)...))
		case isName(m.key) && isText:
			w.add(path, []cell{{keyColumn, m.key}, {valueColumn, text}})
		case isObject && holdsName(inner):
			w.add(append(path[:len(path):len(path)], m.key), w.record(inner, "", 0))
		case isText && isName(text):
			w.add(append(path[:len(path):len(path)], m.key), []cell{{valueColumn, text}})
		default:
			w.walk(m.value, append(path[:len(path):len(path)], m.key), depth+1)
		}
	}
}

type cell struct{ column, text string }

func (w *walker) add(path []string, cells []cell) {
	r := map[string]string{}
	if len(path) > 0 {
		cells = append(cells, cell{groupColumn, strings.Join(path, " / ")})
	}
	for _, c := range cells {
		if c.column = clip(strings.TrimSpace(c.column)); c.column == "" {
			c.column = unnamedColumn
		}
		r[c.column] = c.text
		if !w.columns[c.column] {
			w.columns[c.column] = true
			w.order = append(w.order, c.column)
		}
	}
	w.records = append(w.records, r)
}

// record flattens an object: nested fields are joined by dots, lists by
// semicolons.
func (w *walker) record(members []pair, prefix string, depth int) (cells []cell) {
	for _, m := range members {
		name := prefix + m.key
		if inner, ok := pairs(m.value); ok {
			if depth < maxDepth {
				cells = append(cells, w.record(inner, name+".", depth+1)...)
			}
			continue
		}
		cells = append(cells, cell{name, strings.Join(w.texts(m.value, depth), "; ")})
	}
	return cells
}

// texts are all texts in a value, however deep.
func (w *walker) texts(value any, depth int) (list []string) {
	if depth > maxDepth || !w.spend() {
		return nil
	}
	if text, ok := scalar(value); ok {
		return []string{text}
	}
	if items, ok := value.([]any); ok {
		for _, item := range items {
			list = append(list, w.texts(item, depth+1)...)
		}
		return list
	}
	members, _ := pairs(value)
	for _, m := range members {
		list = append(list, w.texts(m.value, depth+1)...)
	}
	return list
}

func holdsName(members []pair) bool {
	for _, m := range members {
		if text, ok := scalar(m.value); ok && isName(text) {
			return true
		}
	}
	return false
}

// scalar is the text of anything that is neither a list nor an object.
func scalar(v any) (string, bool) {
	text, ok := v.(string)
	return text, ok
}
