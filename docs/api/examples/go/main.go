// Command loose is ledger.sh with a client that is generated: it lists what may
// go from a model, the surest first.
package main

import (
	"context"
	"fmt"
	"log"
	"math"
	"net/http"
	"os"
)

//go:generate go run github.com/oapi-codegen/oapi-codegen/v2/cmd/oapi-codegen@v2.8.2 -config client.yaml ../../openapi.json

func main() {
	log.SetFlags(0)
	rows, err := loose(context.Background(), os.Getenv("ROSTER"), os.Getenv("ROSTER_TOKEN"))
	if err != nil {
		log.Fatal(err)
	}
	for _, row := range rows {
		fmt.Printf("%s\t%s\tat most %.0f %%\n", row.Name, row.Standing, math.Ceil(row.Ceiling*100))
	}
}

func loose(ctx context.Context, roster, token string) ([]LedgerRow, error) {
	client, err := NewClientWithResponses(roster, WithRequestEditorFn(func(_ context.Context, r *http.Request) error {
		r.Header.Set("Authorization", "Bearer "+token)
		return nil
	}))
	if err != nil {
		return nil, err
	}
	answer, err := client.GetLedgerWithResponse(ctx, &GetLedgerParams{
		Maker: new("brannock"), Model: new("lyra-5"), Group: new(GetLedgerParamsGroupNone),
		Sort: new(GetLedgerParamsSortCeiling), Q: new("load:loose"),
	})
	if err != nil {
		return nil, err
	}
	if problem := answer.ApplicationproblemJSONDefault; problem != nil {
		return nil, fmt.Errorf("%d: %s", answer.StatusCode(), *problem.Detail)
	}
	return answer.JSON200.Rows, nil
}
