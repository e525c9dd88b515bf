package template

import (
	"fmt"
	"reflect"

	"cel.dev/cel-go/common/types"
	"google.golang.org/protobuf/types/known/structpb"
)

// Data are lists, blocks and texts, as JSON has them, whose texts hold expressions. It is
// safe for concurrent use. The zero Data is null.
type Data struct {
	text   *Template
	list   []Data
	block  map[string]Data
	scalar any
}

// ParseData compiles data as YAML or JSON decode them. Where it is wrong, the error names
// the place: "$.items[0].name".
func ParseData(source any) (Data, error) { return parseData("$", source) }

func parseData(at string, source any) (d Data, err error) {
	switch v := source.(type) {
	case string:
		t, err := Parse(v)
		if err != nil {
			return d, fmt.Errorf("at %s: %w", at, err)
		}
		d.text = &t
	case []any:
		d.list = make([]Data, len(v))
		for i := range v {
			if d.list[i], err = parseData(fmt.Sprintf("%s[%d]", at, i), v[i]); err != nil {
				return d, err
			}
		}
	case map[string]any:
		d.block = map[string]Data{}
		for key := range v {
			if d.block[key], err = parseData(at+"."+key, v[key]); err != nil {
				return d, err
			}
		}
	default:
		d.scalar = v
	}
	return d, nil
}

// missing is what an expression gives whose value is not known.
type missing struct{}

// Fill returns the data with every expression evaluated. A text that is one expression and
// nothing else keeps the kind of its value; an entry of a block or list whose value is
// missing (arguments.?date) is left out.
func (d Data) Fill(v Values) (any, error) {
	filled, err := d.fill(v)
	if _, is := filled.(missing); is {
		return nil, err
	}
	return filled, err
}

func (d Data) fill(v Values) (any, error) {
	switch {
	case d.text != nil:
		if len(d.text.pieces) == 1 && d.text.pieces[0].expression != nil {
			return d.text.pieces[0].expression.json(v)
		}
		return d.text.Fill(v)
	case d.list != nil:
		list := []any{}
		for _, item := range d.list {
			value, err := item.fill(v)
			if err != nil {
				return nil, err
			}
			if _, is := value.(missing); !is {
				list = append(list, value)
			}
		}
		return list, nil
	case d.block != nil:
		block := map[string]any{}
		for key, item := range d.block {
			value, err := item.fill(v)
			if err != nil {
				return nil, err
			}
			if _, is := value.(missing); !is {
				block[key] = value
			}
		}
		return block, nil
	}
	return d.scalar, nil
}

// JSON evaluates the expression to a value as JSON has it; nil where it is missing.
func (e *Expression) JSON(v Values) (any, error) {
	value, err := e.json(v)
	if _, is := value.(missing); is {
		return nil, err
	}
	return value, err
}

func (e *Expression) json(v Values) (any, error) {
	out, err := e.eval(v)
	if err != nil {
		return nil, err
	}
	if o, is := out.(*types.Optional); is {
		if !o.HasValue() {
			return missing{}, nil
		}
		out = o.GetValue()
	}
	native, err := out.ConvertToNative(reflect.TypeFor[*structpb.Value]())
	if err != nil {
		return nil, fmt.Errorf("in %q: %w", shortened(e.source), err)
	}
	return native.(*structpb.Value).AsInterface(), nil
}
