package lobby
