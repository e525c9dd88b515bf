// Package console holds the web console and the chat's script as they were
// built, for the service to serve.
package console

import "embed"

// Dist is the folder that the build writes. In a checkout that was not built it
// is all but empty.
//
//go:embed all:dist
var Dist embed.FS
