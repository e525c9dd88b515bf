package connect

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
)

// A Person is a contact as the CRM has it.
type Person struct {
	ID    string `json:"id,omitempty"`
	Name  string `json:"name"`
	Email string `json:"email"`
	Phone string `json:"phone"`
	Note  string `json:"note,omitempty"`
}

// SyncPerson writes a contact to the CRM: the person with the same e-mail
// address gets the details it lacks, and keeps those it has, since what we know
// is only claimed; a person that is not there yet is created. The key makes a
// repeat harmless.
func SyncPerson(ctx context.Context, e Endpoint, p Person, key string) error {
	var found struct {
		Items []Person `json:"items"`
	}
	if err := e.call(ctx, http.MethodGet, "/people?email="+url.QueryEscape(p.Email), "", nil, &found); err != nil {
		return err
	}
	if len(found.Items) == 0 {
		return e.call(ctx, http.MethodPost, "/people", key, p, nil)
	}
	there := found.Items[0]
	lacking := map[string]string{}
	for name, field := range map[string][2]string{"name": {there.Name, p.Name}, "phone": {there.Phone, p.Phone}} {
		if field[0] == "" && field[1] != "" {
			lacking[name] = field[1]
		}
	}
	if len(lacking) == 0 {
		return nil
	}
	if there.ID == "" {
		return fmt.Errorf("%w: %s gave a person without an id", ErrRefused, e.Title)
	}
	return e.call(ctx, http.MethodPatch, "/people/"+url.PathEscape(there.ID), key, lacking, nil)
}
