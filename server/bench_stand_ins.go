package server

import (
	"context"
	"io"
	"net"
	"net/http"
	"strconv"
	"time"

	"github.com/coder/websocket"
	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"roster/bench"
)

// looseStandIn is a stand-in that hangs on no computer: whoever tries the sample
// world out can attach it to their browser, which reaches it by a WebSocket in
// place of a cable.
type looseStandIn struct {
	Number int `json:"number"`
	bench.StandIn
}

type looseStandInsOutput struct {
	Body struct {
		Items []looseStandIn `json:"items" nullable:"false"`
	}
}

type looseHandInput struct {
	Number int `path:"number" minimum:"1" maximum:"1000"`
	Body   struct {
		Action string `json:"action" maxLength:"20" doc:"What a hand would do; empty to look at it"`
		With   string `json:"with,omitempty" maxLength:"255"`
	}
}

type standInOutput struct{ Body bench.StandIn }

func (s *Server) standInRoutes() {
	route(s, Public, huma.Operation{OperationID: "listLooseStandIns", Method: http.MethodGet, Path: "/api/v1/stand-ins", Summary: "Stand-ins that a browser can attach; none outside the sample world"},
		func(ctx context.Context, _ *struct{}) (*looseStandInsOutput, error) {
			out := &looseStandInsOutput{}
			out.Body.Items = []looseStandIn{}
			for i, hand := range s.config.Loose {
				one, err := hand.Do(ctx, "", "")
				if err != nil {
					return nil, err
				}
				one.Address = looseAddress(i + 1)
				out.Body.Items = append(out.Body.Items, looseStandIn{i + 1, one})
			}
			return out, nil
		})
	route(s, Public, huma.Operation{OperationID: "handLooseStandIn", Method: http.MethodPost, Path: "/api/v1/stand-ins/{number}/hand", Summary: "Do to such a stand-in what a hand would do"},
		func(ctx context.Context, in *looseHandInput) (*standInOutput, error) {
			if in.Number > len(s.config.Loose) {
				return nil, problem(http.StatusNotFound, "not-found", "There is no such stand-in.")
			}
			one, err := s.config.Loose[in.Number-1].Do(ctx, in.Body.Action, in.Body.With)
			if err != nil {
				return nil, badRequest(err)
			}
			one.Address = looseAddress(in.Number)
			return &standInOutput{one}, nil
		})
	if len(s.config.Loose) > 0 {
		s.plain(http.MethodGet, "/api/v1/stand-ins/:number/cable", Public, s.cable)
	}
}

// looseAddress is what a browser calls a stand-in that it has attached.
func looseAddress(number int) string { return "stand-in:" + strconv.Itoa(number) }

// cable is between a browser and a stand-in: what one says to the other is
// carried as it is, until either goes. While the stand-in is not plugged in
// there is none.
func (s *Server) cable(c *gin.Context) {
	number, err := strconv.Atoi(c.Param("number"))
	if err != nil || number < 1 || number > len(s.config.Loose) {
		writeProblem(c, problem(http.StatusNotFound, "not-found", "There is no such stand-in."))
		return
	}
	hand := s.config.Loose[number-1]
	dial := net.Dialer{Timeout: 3 * time.Second}
	how, err := hand.Do(c.Request.Context(), "", "")
	var phone net.Conn
	if err == nil && how.Plugged && how.Stuck == "" {
		phone, err = dial.DialContext(c.Request.Context(), "tcp", hand.Address)
	}
	if phone == nil {
		s.log.Debug("a stand-in has no cable", "stand-in", hand.Address, "err", err)
		writeProblem(c, problem(http.StatusConflict, "unplugged", "This stand-in is not plugged in."))
		return
	}
	defer phone.Close()
	ws, err := websocket.Accept(c.Writer, c.Request, nil)
	if err != nil {
		s.log.Debug("no WebSocket", "err", err)
		return
	}
	ctx, cancel := s.work.Until(context.WithoutCancel(c.Request.Context()))
	defer cancel()
	browser := websocket.NetConn(ctx, ws, websocket.MessageBinary)
	go func() {
		io.Copy(phone, browser)
		phone.Close()
	}()
	// Few and large messages: each costs the browser more than what is in it.
	io.CopyBuffer(struct{ io.Writer }{browser}, struct{ io.Reader }{phone}, make([]byte, 256<<10))
	ws.Close(websocket.StatusGoingAway, "the cable is out")
}
