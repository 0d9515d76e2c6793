"""Made-up machines and what is done with them: a shop of years, and machines to practise on."""
