// Command vestpin plans and documents fixed addresses and port forwards: on the
// command line over site files, and as a web application.
package main

import (
	"errors"
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"vestpin/core/plain"
)

// errAnswerNo says that all went well and the answer is "no": exit status 1.
var errAnswerNo = errors.New("the answer is no")

func main() {
	root := &cobra.Command{
		Use: "vestpin", Short: "Fixed addresses and port forwards for network installers",
		SilenceErrors: true, SilenceUsage: true,
	}
	root.AddCommand(checkCommand(), suggestCommand(), walkCommand(), compareCommand(), proveCommand(), afarCommand(), catalogueCommand(), equipCommand(), linesCommand(), readCommand(), writeCommand(), surveyCommand(), makersCommand(), serveCommand(), backupCommand(), restoreCommand(), demoCommand(), openapiCommand())
	switch err := root.Execute(); {
	case err == nil:
	case errors.Is(err, errAnswerNo):
		os.Exit(1)
	default:
		fmt.Fprintln(os.Stderr, "vestpin: "+oneLine(plain.Text(err.Error())))
		os.Exit(2)
	}
}

func oneLine(text string) string { return strings.Join(strings.Fields(text), " ") }
