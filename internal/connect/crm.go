package connect

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/outbound"
)

// claimed is the note of a record that was made from what a customer said.
const claimed = "as said by the customer"

// SyncContact writes a contact to the CRM, by the names of the workspace's
// fields: the record with the same e-mail address gets the values it lacks, and
// keeps those it has, since what we know may only be claimed; where there is none
// it is created. Without an address nothing is looked for. The key makes a repeat
// harmless.
func SyncContact(ctx context.Context, e Endpoint, fields contact.Fields, facts map[string]string, key string) error {
	there, err := findContact(ctx, e, fields, facts)
	if err != nil {
		return err
	}
	if there == nil {
		record := map[string]string{"note": claimed}
		for _, f := range fields {
			record[f.Name] = facts[f.Name]
		}
		return e.call(ctx, http.MethodPost, "/people", key, record, nil)
	}
	lacking := map[string]string{}
	for _, f := range fields {
		if has, _ := there[f.Name].(string); has == "" && facts[f.Name] != "" {
			lacking[f.Name] = facts[f.Name]
		}
	}
	if len(lacking) == 0 {
		return nil
	}
	id := there["id"]
	if id == nil || id == "" {
		return fmt.Errorf("%w: %s gave a person without an id", outbound.ErrRefused, e.Title)
	}
	return e.call(ctx, http.MethodPatch, "/people/"+url.PathEscape(fmt.Sprint(id)), key, lacking, nil)
}

// findContact returns the record that has the contact's e-mail address, nil if
// there is none.
func findContact(ctx context.Context, e Endpoint, fields contact.Fields, facts map[string]string) (map[string]any, error) {
	by, ok := fields.Of(contact.Email)
	address := facts[by.Name]
	if !ok || address == "" {
		return nil, nil
	}
	var found struct {
		Items []map[string]any `json:"items"`
	}
	if err := e.call(ctx, http.MethodGet, "/people?"+url.Values{by.Name: {address}}.Encode(), "", nil, &found); err != nil {
		return nil, err
	}
	for _, item := range found.Items {
		if has, _ := item[by.Name].(string); strings.EqualFold(has, address) {
			return item, nil
		}
	}
	return nil, nil
}
