package server

import (
	"bytes"
	"encoding"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net/http"
	"net/url"
	"reflect"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"roster/core/strictjson"
)

// What comes from outside is held to what everything behind here can keep, once
// and in this file: text is text, numbers and dates are such as there are, and
// JSON says one thing to whoever reads it.

// bodyBounds are what a JSON body may hold, whatever it is for.
var bodyBounds = strictjson.Bounds{Values: 400_000, Depth: 40, Text: maxListBytes}

// strictFormat reads JSON bodies as it is written; see package strictjson.
var strictFormat = huma.Format{
	Marshal: huma.DefaultJSONFormat.Marshal,
	Unmarshal: func(data []byte, v any) error {
		if _, err := io.Copy(io.Discard, strictjson.Guard(bytes.NewReader(data), bodyBounds)); err != nil {
			return err
		}
		return strictjson.UnmarshalKnown(data, v)
	},
}

// idText is how ids are described: of the forms that mean the same, one is
// taken.
type idText string

// Schema is huma's way to ask how a type is described.
func (idText) Schema(huma.Registry) *huma.Schema {
	return &huma.Schema{
		Type:               huma.TypeString,
		Format:             "uuid",
		Pattern:            `^[0-9a-f]{8}-([0-9a-f]{4}-){3}[0-9a-f]{12}$`,
		PatternDescription: "an id: 32 lower-case hex digits with hyphens",
	}
}

// refuseOddText refuses addresses that are not text: no name of anything has a
// NUL or half a character in it.
func refuseOddText(c *gin.Context) {
	query, err := url.QueryUnescape(c.Request.URL.RawQuery)
	switch {
	case !isText(c.Request.URL.Path):
		writeProblem(c, problem(http.StatusBadRequest, "bad-request", "The address has a character in it that is none."))
	case err != nil:
		writeProblem(
			c,
			problem(
				http.StatusBadRequest,
				"bad-request",
				"The address can't be read: after its question mark stands a % that is not followed by two hex digits.",
			),
		)
	case !isText(query):
		writeProblem(
			c,
			problem(http.StatusBadRequest, "bad-request", "The address has a character in it that is none: "+oddParameter(c.Request.URL.RawQuery)+"."),
		)
	default:
		c.Next()
	}
}

// oddParameter names the parameter of a query that is not text.
func oddParameter(query string) string {
	for part := range strings.SplitSeq(query, "&") {
		name, value, _ := strings.Cut(part, "=")
		if text, err := url.QueryUnescape(value); err != nil || !isText(text) {
			if name, err := url.QueryUnescape(name); err == nil && isText(name) {
				return name
			}
		}
	}
	return "the name of a parameter"
}

func isText(s string) bool { return utf8.ValidString(s) && strings.IndexByte(s, 0) < 0 }

// checkRequest holds what was read into an operation's input to what can be kept.
// The error names the field as whoever asked wrote it.
func checkRequest(in any) error {
	if place, wrong := checkValue(reflect.ValueOf(in), ""); wrong != "" {
		return problem(http.StatusUnprocessableEntity, "bad-request", fmt.Sprintf("%s: %s. Nothing was written.", strings.TrimPrefix(place, "."), wrong))
	}
	return nil
}

var (
	timeType    = reflect.TypeFor[time.Time]()
	rawType     = reflect.TypeFor[json.RawMessage]()
	marshalType = reflect.TypeFor[encoding.TextMarshaler]()
)

// The first and the last year of any day that Roster is told.
const firstYear, lastYear = 1970, 2999

// checkValue finds the first value that can't be kept, at a place below at, and
// says what is wrong with it; "" where nothing is.
func checkValue(v reflect.Value, at string) (place, wrong string) {
	switch {
	case !v.IsValid():
		return "", ""
	case v.Type() == timeType:
		if t := v.Interface().(time.Time); !t.IsZero() && !goodDay(t) {
			return at, fmt.Sprintf("a day lies between the years %d and %d", firstYear, lastYear)
		}
		return "", ""
	case v.Type() == rawType:
		return "", "" // it was read as text, and is checked where it is given a type
	case v.Kind() == reflect.Array && v.Type().Implements(marshalType):
		return "", "" // an id
	}
	switch v.Kind() {
	case reflect.Pointer, reflect.Interface:
		return checkValue(v.Elem(), at)
	case reflect.String:
		if !isText(v.String()) {
			return at, "there is a character in it that is none"
		}
	case reflect.Int:
		if n := v.Int(); n > math.MaxInt32 || n < math.MinInt32 {
			return at, strconv.FormatInt(n, 10) + " is too large a number"
		}
	case reflect.Slice, reflect.Array:
		if v.Type().Elem().Kind() == reflect.Uint8 {
			return "", ""
		}
		for i := range v.Len() {
			if place, wrong = checkValue(v.Index(i), fmt.Sprintf("%s[%d]", at, i)); wrong != "" {
				return place, wrong
			}
		}
	case reflect.Map:
		for pair := v.MapRange(); pair.Next(); {
			if place, wrong = checkValue(pair.Key(), at); wrong != "" {
				return place, wrong
			}
			if place, wrong = checkValue(pair.Value(), fmt.Sprint(at, ".", pair.Key())); wrong != "" {
				return place, wrong
			}
		}
	case reflect.Struct:
		return checkFields(v, at)
	}
	return "", ""
}

func checkFields(v reflect.Value, at string) (place, wrong string) {
	for i := range v.NumField() {
		field := v.Type().Field(i)
		if !field.IsExported() {
			continue
		}
		below := at
		if name := writtenName(field); name != "" {
			below = at + "." + name
		}
		if place, wrong = checkValue(v.Field(i), below); wrong != "" {
			return place, wrong
		}
	}
	return "", ""
}

// writtenName is what a field is called by whoever asks; "" for a part of the
// input that has no name of its own.
func writtenName(field reflect.StructField) string {
	for _, tag := range []string{"path", "query", "header", "json"} {
		if name, _, _ := strings.Cut(field.Tag.Get(tag), ","); name != "" {
			return name
		}
	}
	if field.Anonymous || field.Name == "Body" {
		return ""
	}
	return field.Name
}

func goodDay(t time.Time) bool {
	year := t.UTC().Year()
	return year >= firstYear && year <= lastYear
}

// parseDay reads a day such as 2026-03-05.
func parseDay(text string) (time.Time, error) {
	day, err := time.Parse(time.DateOnly, text)
	if err != nil {
		return day, problem(http.StatusUnprocessableEntity, "bad-request", "Write a day as 2026-03-05.")
	}
	if !goodDay(day) {
		return day, problem(http.StatusUnprocessableEntity, "bad-request", fmt.Sprintf("A day lies between the years %d and %d.", firstYear, lastYear))
	}
	return day, nil
}
