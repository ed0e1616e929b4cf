"""The address plan: its edits, what requests say, its views, free addresses and their proof, spreadsheets."""
