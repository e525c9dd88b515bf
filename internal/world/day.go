package world

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/goccy/go-yaml"
	"github.com/google/uuid"
)

// A customer is somebody of a working day: what they write, on which channel.
type customer struct {
	Channel string   `yaml:"channel"`
	From    string   `yaml:"from"` // the telephone, on the text line
	Says    []string `yaml:"says"`
	Mail    string   `yaml:"mail"` // as it comes, without its date; instead of what is said
}

// replyTime is how long a customer waits for a reply before writing on.
const replyTime = 10 * time.Second

// PlayDay plays the customers of a working day at the same time, each waiting
// for a reply before writing on.
func (w *World) PlayDay(ctx context.Context, script []byte) error {
	var customers []customer
	if err := yaml.Unmarshal(script, &customers); err != nil {
		return err
	}
	failures := make(chan error, len(customers))
	var playing sync.WaitGroup
	for _, c := range customers {
		playing.Add(1)
		go func() {
			defer playing.Done()
			play, says := w.visit, c.Mail
			switch {
			case c.Mail != "":
				play = w.mail
			case c.From != "":
				play = w.text
			}
			if len(c.Says) > 0 {
				says = c.Says[0]
			}
			if err := play(ctx, c); err != nil {
				failures <- fmt.Errorf("the customer who says %q: %w", says, err)
			}
		}()
	}
	playing.Wait()
	close(failures)
	return <-failures
}

func (w *World) mail(_ context.Context, c customer) error {
	return w.Mailroom.Put([]byte(strings.ReplaceAll("Date: "+time.Now().Format(time.RFC1123Z)+"\n"+c.Mail, "\n", "\r\n")))
}

func (w *World) text(ctx context.Context, c customer) error {
	for i, words := range c.Says {
		if err := w.Handset.Send(ctx, c.From, uuid.NewString(), words); err != nil {
			return err
		}
		waiting, cancel := context.WithTimeout(ctx, replyTime)
		_, err := w.Handset.Await(waiting, c.From, func(texts []Text) bool { return len(texts) > i })
		cancel()
		if err != nil {
			return err
		}
	}
	return nil
}

func (w *World) visit(ctx context.Context, c customer) error {
	v, err := NewVisitor(ctx, w.options.Service+"/chat/"+w.options.Workspace+"/"+c.Channel)
	if err != nil {
		return err
	}
	for _, words := range c.Says {
		waiting, cancel := context.WithTimeout(ctx, replyTime)
		_, err := v.Ask(waiting, words)
		cancel()
		if err != nil {
			return err
		}
	}
	return nil
}

// A Visitor is somebody on the website's chat.
type Visitor struct {
	chat, Token string
	lastSeen    string
}

// Said is a message as a visitor sees it.
type Said struct {
	ID     string `json:"id"`
	Author string `json:"author"`
	Text   string `json:"text"`
}

// NewVisitor opens the chat at an address for the first time.
func NewVisitor(ctx context.Context, chat string) (*Visitor, error) {
	v := &Visitor{chat: chat}
	var got struct {
		Token string `json:"token"`
	}
	err := v.call(ctx, http.MethodPost, "/visitors", nil, &got)
	v.Token = got.Token
	return v, err
}

// Ask writes a message and waits for the next message that is not the
// visitor's own.
func (v *Visitor) Ask(ctx context.Context, words string) (Said, error) {
	if err := v.Say(ctx, uuid.NewString(), words); err != nil {
		return Said{}, err
	}
	return v.Next(ctx)
}

// Say writes a message.
func (v *Visitor) Say(ctx context.Context, id, words string) error {
	return v.call(ctx, http.MethodPost, "/messages", map[string]string{"id": id, "text": words}, nil)
}

// Messages returns all that was said.
func (v *Visitor) Messages(ctx context.Context) ([]Said, error) {
	var page struct{ Items []Said }
	err := v.call(ctx, http.MethodGet, "/messages", nil, &page)
	return page.Items, err
}

// Next waits for the next message of the other side, on the stream.
func (v *Visitor) Next(ctx context.Context) (Said, error) {
	var ticket struct {
		Ticket string `json:"ticket"`
	}
	if err := v.call(ctx, http.MethodPost, "/tickets", nil, &ticket); err != nil {
		return Said{}, err
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, v.chat+"/stream?ticket="+ticket.Ticket+"&after="+v.lastSeen, nil)
	if err != nil {
		return Said{}, err
	}
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		return Said{}, err
	}
	defer response.Body.Close()
	if response.StatusCode != http.StatusOK {
		return Said{}, fmt.Errorf("the stream answered %d", response.StatusCode)
	}
	lines := bufio.NewScanner(response.Body)
	lines.Buffer(nil, 1<<20)
	for lines.Scan() {
		data, ok := strings.CutPrefix(lines.Text(), "data:")
		if !ok {
			continue
		}
		var said Said
		if err := json.Unmarshal([]byte(data), &said); err != nil {
			return Said{}, err
		}
		v.lastSeen = said.ID
		if said.Author != "customer" {
			return said, nil
		}
	}
	return Said{}, fmt.Errorf("the stream ended: %w", lines.Err())
}

func (v *Visitor) call(ctx context.Context, method, path string, body, into any) error {
	raw, err := json.Marshal(body)
	if err != nil {
		return err
	}
	request, err := http.NewRequestWithContext(ctx, method, v.chat+path, bytes.NewReader(raw))
	if err != nil {
		return err
	}
	request.Header.Set("Authorization", "Bearer "+v.Token)
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		return err
	}
	defer response.Body.Close()
	if response.StatusCode >= 300 {
		return fmt.Errorf("%s answered %s", path, response.Status)
	}
	if into == nil {
		return nil
	}
	return json.NewDecoder(response.Body).Decode(into)
}
