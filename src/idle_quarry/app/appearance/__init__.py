"""How the window looks: colours and lengths, sizes that follow the text's, roles of labels, painted controls."""
