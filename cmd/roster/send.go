package main

import (
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"go.yaml.in/yaml/v3"

	"roster/core/android"
	"roster/core/wording"
)

// remote is a Roster server that is asked with a person's token.
type remote struct {
	server, token string
}

func (r *remote) flags(c *cobra.Command) {
	setServer.flag(c.Flags(), &r.server)
	r.server = cmp.Or(r.server, "http://127.0.0.1:8420")
	setToken.flag(c.Flags(), &r.token)
}

// sendTries is how often a request that got no answer is sent again; its key
// keeps it from counting twice.
const sendTries = 4

// post sends a body and reads the answer into out. Where the network fails it
// tries again with the same key.
func (r *remote) post(ctx context.Context, path, key string, body []byte, out any, say io.Writer) error {
	if r.token == "" {
		return usageError{errors.New("give your token in ROSTER_TOKEN; the page People makes one")}
	}
	at, err := url.JoinPath(r.server, path)
	if err != nil {
		return usageError{fmt.Errorf("--server: %w", err)}
	}
	client := &http.Client{Timeout: 2 * time.Minute}
	for try := 1; ; try++ {
		q, err := http.NewRequestWithContext(ctx, http.MethodPost, at, bytes.NewReader(body))
		if err != nil {
			return usageError{fmt.Errorf("--server: %w", err)}
		}
		q.Header.Set("Content-Type", "application/json")
		q.Header.Set("Authorization", "Bearer "+r.token)
		q.Header.Set("Idempotency-Key", key)
		answer, err := client.Do(q)
		if err == nil && answer.StatusCode < 500 {
			return readAnswer(answer, out)
		}
		if err == nil {
			err = readAnswer(answer, nil)
		}
		if try == sendTries || ctx.Err() != nil {
			return fmt.Errorf("%w\nnothing is known to have arrived; sending the same file again can't double it", err)
		}
		fmt.Fprintf(say, "no answer (%v); trying again\n", err)
		select {
		case <-time.After(time.Duration(try) * time.Second):
		case <-ctx.Done():
		}
	}
}

func readAnswer(answer *http.Response, out any) error {
	defer answer.Body.Close()
	raw, err := io.ReadAll(io.LimitReader(answer.Body, 64<<20))
	if err != nil {
		return err
	}
	if answer.StatusCode < 300 {
		if out == nil {
			return nil
		}
		return json.Unmarshal(raw, out)
	}
	var problem struct {
		Detail string
		Errors []struct{ Message, Location string }
	}
	if json.Unmarshal(raw, &problem) != nil || problem.Detail == "" {
		return fmt.Errorf("the server answered %s", answer.Status)
	}
	text := problem.Detail
	for _, e := range problem.Errors {
		text += fmt.Sprintf("\n  %s: %s", e.Location, e.Message)
	}
	return errors.New(printableLines(text))
}

func sendCommand() *cobra.Command {
	var to remote
	var title, words string
	c := &cobra.Command{
		Use:   "send FILE",
		Short: "Send a file of edits (JSON or YAML) as one change for review; - is standard input",
		Example: `  roster send trials.yaml --title "Lyra 5 on 15.0.0: two trials"

  # trials.yaml
  edits:
    - package: com.brannock.tips
      field: load
      at: {maker: brannock, model: lyra-5}
      value: {load: loose}
      reason: Eleven phones went without it.`,
		Args: wantArgs(1, 1, "one file of edits"),
		RunE: func(c *cobra.Command, args []string) error {
			body, n, err := readEdits(c.InOrStdin(), args[0], title, words)
			if err != nil {
				return err
			}
			// The file's content is the key: the same file is one change, however
			// often it is sent.
			sum := sha256.Sum256(body)
			var made struct{ ID string }
			if err := to.post(c.Context(), "/api/v1/changes/whole", "file-"+hex.EncodeToString(sum[:]), body, &made, c.ErrOrStderr()); err != nil {
				return err
			}
			at, err := url.JoinPath(to.server, "review", made.ID)
			if err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "sent %s for review: %s\n", wording.Count(n, "edit"), at)
			return nil
		},
	}
	to.flags(c)
	c.Flags().StringVar(&title, "title", "", "what the change is about, where the file does not say")
	c.Flags().StringVar(&words, "words", "", "why, where the file does not say")
	return c
}

// readEdits reads a file of edits and writes it as the API takes it.
func readEdits(in io.Reader, name, title, words string) (body []byte, edits int, err error) {
	var raw []byte
	if name == "-" {
		raw, err = io.ReadAll(io.LimitReader(in, 16<<20))
	} else {
		raw, err = os.ReadFile(name)
	}
	if err != nil {
		return nil, 0, usageError{err}
	}
	doc, err := readDocument(raw)
	if err != nil {
		return nil, 0, fmt.Errorf("%s does not read as JSON or YAML: %w", name, err)
	}
	list, ok := doc["edits"].([]any)
	if !ok || len(list) == 0 {
		return nil, 0, fmt.Errorf("%s has no edits: want a list under the key edits", name)
	}
	if title != "" {
		doc["title"] = title
	}
	if words != "" {
		doc["words"] = words
	}
	if text, _ := doc["title"].(string); strings.TrimSpace(text) == "" {
		return nil, 0, usageError{errors.New("say what it is about: --title, or title in the file")}
	}
	body, err = json.Marshal(doc)
	return body, len(list), err
}

// readDocument reads YAML, of which JSON is a part: an object, or a bare list
// of edits.
func readDocument(raw []byte) (map[string]any, error) {
	var n yaml.Node
	if err := yaml.Unmarshal(raw, &n); err != nil {
		return nil, err
	}
	left := 300_000
	tree, err := jsonValue(&n, &left)
	if err != nil {
		return nil, err
	}
	switch v := tree.(type) {
	case map[string]any:
		return v, nil
	case []any:
		return map[string]any{"edits": v}, nil
	}
	return nil, errors.New("want a list, or keys with values")
}

// jsonValue is a node as JSON has it: what looks like a day stays the text that
// it is. left counts down how many values there may be.
func jsonValue(n *yaml.Node, left *int) (any, error) {
	if *left--; *left < 0 {
		return nil, errors.New("it holds more values than a change can have")
	}
	switch n.Kind {
	case yaml.DocumentNode:
		return jsonValue(n.Content[0], left)
	case yaml.AliasNode:
		return jsonValue(n.Alias, left)
	case yaml.SequenceNode:
		list := make([]any, len(n.Content))
		for i, item := range n.Content {
			var err error
			if list[i], err = jsonValue(item, left); err != nil {
				return nil, err
			}
		}
		return list, nil
	case yaml.MappingNode:
		members := map[string]any{}
		for i := 0; i+1 < len(n.Content); i += 2 {
			key := n.Content[i]
			if _, twice := members[key.Value]; twice {
				return nil, fmt.Errorf("line %d: the key %q is there twice", key.Line, key.Value)
			}
			value, err := jsonValue(n.Content[i+1], left)
			if err != nil {
				return nil, err
			}
			members[key.Value] = value
		}
		return members, nil
	case yaml.ScalarNode:
		switch n.ShortTag() {
		case "!!null", "!!bool", "!!int", "!!float":
			var v any
			err := n.Decode(&v)
			return v, err
		}
		return n.Value, nil
	}
	return nil, errors.New("it is empty")
}

// printableLines keeps what a server says from leading the terminal astray.
func printableLines(text string) string {
	lines := strings.Split(text, "\n")
	for i, line := range lines {
		lines[i] = android.Printable(line, 1000)
	}
	return strings.Join(lines, "\n")
}
