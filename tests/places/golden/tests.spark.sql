-- amount =
`amount` = CAST('10' AS BIGINT)

-- route =
`route` = 'K_%\''

-- amount <>
`amount` <> CAST('10' AS BIGINT)

-- route <>
`route` <> 'K_%\''

-- amount <
`amount` < CAST('10' AS BIGINT)

-- route <
`route` < 'K_%\''

-- amount <=
`amount` <= CAST('10' AS BIGINT)

-- route <=
`route` <= 'K_%\''

-- amount >
`amount` > CAST('10' AS BIGINT)

-- route >
`route` > 'K_%\''

-- amount >=
`amount` >= CAST('10' AS BIGINT)

-- route >=
`route` >= 'K_%\''

-- amount in
`amount` IN (CAST('1' AS BIGINT), CAST('9' AS BIGINT))

-- route in
`route` IN ('KP', 'K%')

-- amount between
`amount` >= CAST('0' AS BIGINT) AND `amount` <= CAST('3' AS BIGINT)

-- route between
`route` >= 'A' AND `route` <= 'K'

-- route contains
CONTAINS(`route`, 'K_%\'')

-- route begins with
STARTSWITH(`route`, 'K_%\'')

-- amount is blank
`amount` IS NULL

-- route is blank
`route` IS NULL

-- amount is not blank
NOT `amount` IS NULL

-- route is not blank
NOT `route` IS NULL

-- amount between 1 2.5
`amount` >= CAST('1' AS BIGINT) AND `amount` <= CAST('2.5' AS DECIMAL(38, 18))

-- amount in 1 2.5
`amount` IN (CAST('1' AS BIGINT), CAST('2.5' AS DECIMAL(38, 18)))

-- day = 2026-01-02 10:00:00
`day` = CAST('2026-01-02' AS DATE)

-- amount = 2.5
(CAST(`amount` AS DECIMAL(38, 18))) = (CAST('2.5' AS DECIMAL(38, 18)))

-- 2.5 < amount
(CAST('2.5' AS DECIMAL(38, 18))) < (CAST(`amount` AS DECIMAL(38, 18)))

-- amount >= 2.5e0
-- not said: the shortest decimal of a number

-- 2.5e0 <> 2.5
-- not said: the shortest decimal of a number

-- day <= TIMESTAMP '2026-01-02 10:00:00'
(`day`) <= (CAST(CAST('2026-01-02 10:00:00' AS TIMESTAMP_NTZ) AS DATE))
