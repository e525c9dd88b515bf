package api

// A route is one call of the API.
type route struct {
	method, path string
	tag, summary string
	parameters   any // an example of what stands in path, query and headers; nil: nothing
	calling
	status int  // of success
	open   bool // needs no sign-in
}

// A calling is what answers a call. Its body and response are of the types that
// its function takes and returns, so the OpenAPI document, which is made from
// them, cannot claim others.
type calling struct {
	body     any    // an example; nil: there is none
	response any    // an example; nil: there is none
	media    string // of a response that the function writes itself; "": JSON
	run      func(*request) (any, error)
}

// gives is a call that gives something.
func gives[Out any](f func(*request) (Out, error)) calling {
	return calling{response: *new(Out), run: func(q *request) (any, error) { return f(q) }}
}

// takes is a call that takes something and gives something.
func takes[In, Out any](f func(*request, In) (Out, error)) calling {
	return takesLarge(f, bodyLimit)
}

// takesLarge is takes for bodies of at most so many bytes.
func takesLarge[In, Out any](f func(*request, In) (Out, error), limit int64) calling {
	return calling{body: *new(In), response: *new(Out), run: func(q *request) (any, error) {
		var in In
		if err := q.body(&in, limit); err != nil {
			return nil, err
		}
		return f(q, in)
	}}
}

// does is a call that gives nothing.
func does(f func(*request) error) calling {
	return calling{run: func(q *request) (any, error) { return nil, f(q) }}
}

// doesWith is a call that takes something and gives nothing.
func doesWith[In any](f func(*request, In) error) calling {
	return calling{body: *new(In), run: func(q *request) (any, error) {
		var in In
		if err := q.body(&in, bodyLimit); err != nil {
			return nil, err
		}
		return nil, f(q, in)
	}}
}

// writes is a call whose function writes the response itself, items of a type in
// a format other than JSON; nil: no items that have a type.
func writes(media string, item any, f func(*request) error) calling {
	return calling{response: item, media: media, run: func(q *request) (any, error) { return nil, f(q) }}
}
