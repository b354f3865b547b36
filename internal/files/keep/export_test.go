package keep

// HoldersOfBlobs are the columns that the blob rules know, as "table.column".
func HoldersOfBlobs() (out []string) {
	for _, h := range holders {
		out = append(out, h.table+"."+h.column)
	}
	return out
}
