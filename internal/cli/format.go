package cli

import (
	"bytes"
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"pikegate/core/definition"
)

func (a *app) format() *cobra.Command {
	var check bool
	cmd := &cobra.Command{
		Use:   "format FILE…",
		Short: "Write definitions the one way they are written, comments kept",
		Long:  "Write definitions the one way they are written: fields in order, expressions canonical, comments kept.\nFiles are changed in place; - reads standard input and writes standard output.",
		Args:  args(cobra.MinimumNArgs(1)),
		RunE: func(_ *cobra.Command, given []string) error {
			contents, _, problems, err := a.decodeFiles(given, false)
			if err != nil {
				return err
			}
			if problems.Failed() { // nothing is half done
				a.explainProblems(problems, nil)
				return refusedError{}
			}
			changed := 0
			for _, name := range given {
				made, problems := definition.Format(name, contents[name])
				if problems.Failed() {
					a.explainProblems(problems, nil)
					return refusedError{}
				}
				same := bytes.Equal(made, contents[name])
				switch {
				case name == "-" && !check:
					_, err = a.data.Write(made)
				case same:
				case check:
					changed++
					fmt.Fprintln(a.Stdout, name+" would change")
				default:
					fmt.Fprintln(a.Stdout, name)
					err = a.save(name, a.data, func(w io.Writer) error { _, err := w.Write(made); return err })
				}
				if err != nil {
					return err
				}
			}
			if changed > 0 {
				return refusedError{}
			}
			return nil
		},
	}
	cmd.Flags().BoolVar(&check, "check", false, "change nothing; name the files that would change, and exit with 3 if there are any")
	return cmd
}
