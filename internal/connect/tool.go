package connect

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"time"

	"urgentparrot.example/internal/clock"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/outbound"
)

// CallTool calls a tool, trying again after a short pause as often as the tool
// allows, and returns its result as decoded JSON that fits the tool's schema.
func CallTool(ctx context.Context, e Endpoint, tool workspace.Tool, arguments map[string]any, key string) (any, error) {
	var failed error
	for try := range tool.Tries {
		if pause := tool.PauseBefore(try); pause > 0 {
			passed, stop := e.Clock.Timer(pause)
			select {
			case <-passed:
			case <-ctx.Done():
				stop()
				return nil, ctx.Err()
			}
		}
		result, err := callOnce(ctx, e, tool, arguments, key)
		if err == nil {
			return result, nil
		}
		failed = err
		if errors.Is(err, outbound.ErrRefused) {
			break
		}
	}
	return nil, failed
}

func callOnce(ctx context.Context, e Endpoint, tool workspace.Tool, arguments map[string]any, key string) (result any, err error) {
	ctx, cancel := clock.WithTimeout(ctx, e.Clock, time.Duration(tool.Timeout))
	defer cancel()
	if tool.Method == http.MethodGet {
		query := url.Values{}
		for name, value := range arguments {
			query.Set(name, fmt.Sprint(value))
		}
		err = e.call(ctx, tool.Method, tool.Path+"?"+query.Encode(), "", nil, &result)
	} else {
		err = e.call(ctx, tool.Method, tool.Path, key, arguments, &result)
	}
	if err != nil {
		return nil, err
	}
	if err := tool.CheckResult(result); err != nil {
		return nil, fmt.Errorf("%w: what %s sent does not fit the tool's schema: %w", outbound.ErrRefused, e.Title, err)
	}
	return result, nil
}
