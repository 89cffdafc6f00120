-- amount =
"amount" = CAST('10' AS BIGINT)

-- route =
"route" = 'K_%'''

-- amount <>
"amount" <> CAST('10' AS BIGINT)

-- route <>
"route" <> 'K_%'''

-- amount <
"amount" < CAST('10' AS BIGINT)

-- route <
"route" COLLATE "C" < 'K_%'''

-- amount <=
"amount" <= CAST('10' AS BIGINT)

-- route <=
"route" COLLATE "C" <= 'K_%'''

-- amount >
"amount" > CAST('10' AS BIGINT)

-- route >
"route" COLLATE "C" > 'K_%'''

-- amount >=
"amount" >= CAST('10' AS BIGINT)

-- route >=
"route" COLLATE "C" >= 'K_%'''

-- amount in
"amount" IN (CAST('1' AS BIGINT), CAST('9' AS BIGINT))

-- route in
"route" IN ('KP', 'K%')

-- amount between
"amount" >= CAST('0' AS BIGINT) AND "amount" <= CAST('3' AS BIGINT)

-- route between
"route" >= 'A' AND "route" <= 'K'

-- route contains
POSITION('K_%''' IN "route") > 0

-- route begins with
STARTS_WITH("route", 'K_%''')

-- amount is blank
"amount" IS NULL

-- route is blank
"route" IS NULL

-- amount is not blank
NOT "amount" IS NULL

-- route is not blank
NOT "route" IS NULL
