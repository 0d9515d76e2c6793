"""Put files into file systems on the bench without mounting them: what goes where is reckoned first, then written."""
