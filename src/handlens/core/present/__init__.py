"""What is shown of a judged model: the report, the ledger, the tree, gauges, causes of a look, and what there is to choose from."""
