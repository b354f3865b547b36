package db

// Watched is Open with somebody who watches the queries.
var Watched = open
