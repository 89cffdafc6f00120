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

-- amount between 1 2.5
"amount" >= CAST('1' AS BIGINT) AND "amount" <= CAST('2.5' AS DECIMAL)

-- amount in 1 2.5
"amount" IN (CAST('1' AS BIGINT), CAST('2.5' AS DECIMAL))

-- day = 2026-01-02 10:00:00
"day" = CAST('2026-01-02' AS DATE)

-- amount = 2.5
(CAST("amount" AS DECIMAL)) = (CAST('2.5' AS DECIMAL))

-- 2.5 < amount
(CAST('2.5' AS DECIMAL)) < (CAST("amount" AS DECIMAL))

-- amount >= 2.5e0
(CAST("amount" AS DECIMAL)) >= (CAST(CAST(CAST('2.5' AS DOUBLE PRECISION) AS TEXT) AS DECIMAL))

-- 2.5e0 <> 2.5
(CAST(CAST(CAST('2.5' AS DOUBLE PRECISION) AS TEXT) AS DECIMAL)) <> (CAST('2.5' AS DECIMAL))

-- day <= TIMESTAMP '2026-01-02 10:00:00'
("day") <= (CAST(CAST('2026-01-02 10:00:00' AS TIMESTAMP) AS DATE))
