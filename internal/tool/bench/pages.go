package bench

import (
	"fmt"
	"os/exec"
	"path/filepath"
	"strings"
)

// clientBytes bundles programs that use more and more of the TypeScript client. It runs at the root of a clone.
func clientBytes(t *Table) error {
	bundler, err := filepath.Abs("console/node_modules/rolldown/dist/index.mjs")
	if err != nil {
		return err
	}
	out, err := exec.Command("node", "--no-warnings", "clients/typescript/test/size.mjs", bundler).Output()
	if err != nil {
		return fmt.Errorf("bundle the client (it needs the console's packages: ./dev build): %w", err)
	}
	for i, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
		part := strings.Split(line, "\t")
		if len(part) != 4 {
			return fmt.Errorf("the bundler says %q", line)
		}
		t.Row(part[0], strings.Join(part[1:], ", ")+" bytes", []string{"≤ 7,000", "≤ 13,000", ""}[min(i, 2)])
	}
	return nil
}
