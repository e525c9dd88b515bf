package client

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
)

func flowPath(name, below string) string { return "/flows/" + url.PathEscape(name) + below }

// Flows lists the flows and how they stand.
func (c *Client) Flows(ctx context.Context) (page FlowPage, err error) {
	return page, c.get(ctx, "/flows", &page)
}

// Flow shows a flow.
func (c *Client) Flow(ctx context.Context, name string) (f FlowDetail, err error) {
	return f, c.get(ctx, flowPath(name, ""), &f)
}

// ExplainFlow tells a flow's text in plain sentences, with what is wrong in it.
func (c *Client) ExplainFlow(ctx context.Context, name, text string) (e Explained, err error) {
	return e, c.send(ctx, http.MethodPost, flowPath(name, "/explain"), nil, DocumentText{text}, &e)
}

// GoLive puts a version of a flow live; the newest for 0.
func (c *Client) GoLive(ctx context.Context, name string, version int) (f FlowDetail, err error) {
	return f, c.send(ctx, http.MethodPost, flowPath(name, "/live"), nil, GoLive{version}, &f)
}

// TakeDown makes a flow a draft alone.
func (c *Client) TakeDown(ctx context.Context, name string) error {
	return c.send(ctx, http.MethodDelete, flowPath(name, "/live"), nil, nil, nil)
}

// StartFlow starts a flow by hand.
func (c *Client) StartFlow(ctx context.Context, name string, start StartFlow) (s Started, err error) {
	return s, c.send(ctx, http.MethodPost, flowPath(name, "/start"), nil, start, &s)
}

// TryFlow tries a draft of a flow; nothing real is touched.
func (c *Client) TryFlow(ctx context.Context, name string, trial FlowTrial) (t TriedFlow, err error) {
	return t, c.send(ctx, http.MethodPost, flowPath(name, "/trial"), nil, trial, &t)
}

// Versions lists the versions of a document.
func (c *Client) Versions(ctx context.Context, kind, name string) (page VersionPage, err error) {
	return page, c.get(ctx, fmt.Sprintf("/documents/%s/%s/versions", url.PathEscape(kind), url.PathEscape(name)), &page)
}

// Runs lists runs of a flow ("" for all), or in a conversation.
func (c *Client) Runs(ctx context.Context, flow, conversation string, open bool) (page RunPage, err error) {
	query := url.Values{}
	for name, value := range map[string]string{"flow": flow, "conversation": conversation} {
		if value != "" {
			query.Set(name, value)
		}
	}
	if open {
		query.Set("open", "true")
	}
	return page, c.get(ctx, "/runs?"+query.Encode(), &page)
}

// RunsEnding lists the runs whose id ends so.
func (c *Client) RunsEnding(ctx context.Context, end string) (page RunPage, err error) {
	return page, c.get(ctx, "/runs?"+url.Values{"ends": {end}}.Encode(), &page)
}

// Run shows a run.
func (c *Client) Run(ctx context.Context, id string) (r RunDetail, err error) {
	return r, c.get(ctx, "/runs/"+url.PathEscape(id), &r)
}

// ChangeRun has a run stop, retry, skip its wait, or move to the live version.
func (c *Client) ChangeRun(ctx context.Context, id, what string) (r RunDetail, err error) {
	return r, c.send(ctx, http.MethodPost, "/runs/"+url.PathEscape(id)+"/"+url.PathEscape(what), nil, nil, &r)
}

// Posted lists what was posted to a flow.
func (c *Client) Posted(ctx context.Context, flow string) (page PostedPage, err error) {
	return page, c.get(ctx, flowPath(flow, "/posted"), &page)
}

// PlayAgain takes a posted body in again.
func (c *Client) PlayAgain(ctx context.Context, id string) error {
	return c.send(ctx, http.MethodPost, "/posted/"+url.PathEscape(id)+"/again", nil, nil, nil)
}

// Pause pauses all that bots and flows do, or lets them go on.
func (c *Client) Pause(ctx context.Context, on bool) (p Pause, err error) {
	return p, c.send(ctx, http.MethodPut, "/pause", nil, Pause{Paused: on}, &p)
}

// Forms lists the forms.
func (c *Client) Forms(ctx context.Context) (page FormPage, err error) {
	return page, c.get(ctx, "/forms", &page)
}

// FormEntries lists what was sent with a form.
func (c *Client) FormEntries(ctx context.Context, form string) (page FormEntryPage, err error) {
	return page, c.get(ctx, "/forms/"+url.PathEscape(form)+"/entries", &page)
}

// Rehearse plays rehearsals.
func (c *Client) Rehearse(ctx context.Context, in Rehearse) (out Rehearsed, err error) {
	return out, c.send(ctx, http.MethodPost, "/rehearse", nil, in, &out)
}

// SaveAsRehearsal makes a rehearsal of a conversation, without the customer's details.
func (c *Client) SaveAsRehearsal(ctx context.Context, conversation string) (d Document, err error) {
	return d, c.send(ctx, http.MethodPost, "/conversations/"+url.PathEscape(conversation)+"/rehearsal", nil, nil, &d)
}
