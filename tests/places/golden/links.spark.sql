-- route =: rows
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `join` AS (
  SELECT
    CASE WHEN `l`.`~here` IS NULL THEN `r`.`route` ELSE `l`.`route` END AS `route`,
    `l`.`day`,
    `l`.`amount`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    `l`.`~here` IS NULL AS `~gap 1`,
    `r`.`~here` IS NULL AS `~gap 2`,
    `l`.`~row` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane`
  ) AS `l`
  FULL JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2`
  ) AS `r`
    ON `l`.`route` = `r`.`route`
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `day (Others)` AS `day (Others)`,
  `amount (Others)` AS `amount (Others)`
FROM `join`

-- route =: counts
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
)
SELECT
  CAST(COALESCE(SUM(`l`.`n`), 0) AS BIGINT) AS `left rows`,
  CAST(COALESCE(
    SUM(CASE WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL THEN `l`.`n` ELSE 0 END),
    0
  ) AS BIGINT) AS `left found`,
  CAST(COALESCE(SUM(CASE WHEN NOT (
    NOT `l`.`k0` IS NULL
  ) THEN `l`.`n` ELSE 0 END), 0) AS BIGINT) AS `left blank`,
  CAST(COALESCE(
    SUM(
      CASE
        WHEN NOT `l`.`n` IS NULL AND NOT `l`.`k0` IS NULL AND `l`.`n` > 1
        THEN `l`.`n`
        ELSE 0
      END
    ),
    0
  ) AS BIGINT) AS `left repeated`,
  CAST(COALESCE(
    SUM(
      CASE
        WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL AND `r`.`n` > 1
        THEN `l`.`n`
        ELSE 0
      END
    ),
    0
  ) AS BIGINT) AS `left multiplied`,
  CAST(COALESCE(SUM(CASE WHEN NOT `l`.`n` IS NULL AND NOT `l`.`k0` IS NULL THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct`,
  CAST(COALESCE(SUM(CASE WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct found`,
  0 AS `left ambiguous`,
  CAST(COALESCE(SUM(`r`.`n`), 0) AS BIGINT) AS `right rows`,
  CAST(COALESCE(
    SUM(CASE WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL THEN `r`.`n` ELSE 0 END),
    0
  ) AS BIGINT) AS `right found`,
  CAST(COALESCE(SUM(CASE WHEN NOT (
    NOT `r`.`k0` IS NULL
  ) THEN `r`.`n` ELSE 0 END), 0) AS BIGINT) AS `right blank`,
  CAST(COALESCE(
    SUM(
      CASE
        WHEN NOT `r`.`n` IS NULL AND NOT `r`.`k0` IS NULL AND `r`.`n` > 1
        THEN `r`.`n`
        ELSE 0
      END
    ),
    0
  ) AS BIGINT) AS `right repeated`,
  CAST(COALESCE(
    SUM(
      CASE
        WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL AND `l`.`n` > 1
        THEN `r`.`n`
        ELSE 0
      END
    ),
    0
  ) AS BIGINT) AS `right multiplied`,
  CAST(COALESCE(SUM(CASE WHEN NOT `r`.`n` IS NULL AND NOT `r`.`k0` IS NULL THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct`,
  CAST(COALESCE(SUM(CASE WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct found`,
  0 AS `right ambiguous`,
  COALESCE(
    SUM(
      CASE
        WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL
        THEN CAST(`l`.`n` AS DECIMAL(38, 0)) * `r`.`n`
      END
    ),
    0
  ) AS `pairs`
FROM (
  SELECT
    `l`.`route` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane` AS `l`
  GROUP BY
    `l`.`route`
) AS `l`
FULL JOIN (
  SELECT
    `r`.`route` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane 2` AS `r`
  GROUP BY
    `r`.`route`
) AS `r`
  ON `l`.`k0` = `r`.`k0`

-- route <>: rows
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `join` AS (
  SELECT
    `l`.`route`,
    `l`.`day`,
    `l`.`amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    FALSE AS `~gap 1`,
    `r`.`~here` IS NULL AS `~gap 2`,
    `l`.`~row` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane` AS `l`
  LEFT JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2`
  ) AS `r`
    ON `l`.`route` <> `r`.`route`
  UNION ALL
  SELECT
    CAST(NULL AS STRING) AS `route`,
    CAST(NULL AS DATE) AS `day`,
    CAST(NULL AS BIGINT) AS `amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    TRUE AS `~gap 1`,
    FALSE AS `~gap 2`,
    CAST(NULL AS BIGINT) AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane 2` AS `r`
  WHERE
    NOT EXISTS(
      SELECT
        1
      FROM `lane` AS `l`
      WHERE
        `l`.`route` <> `r`.`route`
    )
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `route (Others)` AS `route (Others)`,
  `day (Others)` AS `day (Others)`,
  `amount (Others)` AS `amount (Others)`
FROM `join`

-- route <>: counts
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `lane values` AS (
  SELECT
    `l`.`route` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane` AS `l`
  WHERE
    NOT `l`.`route` IS NULL
  GROUP BY
    `l`.`route`
), `lane 2 values` AS (
  SELECT
    `r`.`route` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane 2` AS `r`
  WHERE
    NOT `r`.`route` IS NULL
  GROUP BY
    `r`.`route`
), `values that meet` AS (
  SELECT
    `l`.`k0` AS `lk0`,
    `r`.`k0` AS `rk0`,
    `l`.`n` AS `ln`,
    `r`.`n` AS `rn`
  FROM `lane values` AS `l`
  JOIN `lane 2 values` AS `r`
    ON `l`.`k0` <> `r`.`k0`
)
SELECT
  `left rows`,
  `left found`,
  `left blank`,
  `left repeated`,
  `left multiplied`,
  `left distinct`,
  `left distinct found`,
  `left ambiguous`,
  `right rows`,
  `right found`,
  `right blank`,
  `right repeated`,
  `right multiplied`,
  `right distinct`,
  `right distinct found`,
  `right ambiguous`,
  `pairs`
FROM (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) AS `left rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `left found`,
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `left blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `left repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `left multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct found`,
    0 AS `left ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane values` AS `t`
      LEFT JOIN (
        SELECT
          `lk0` AS `k0`,
          SUM(`rn`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `lk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c0`
CROSS JOIN (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) AS `right rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `right found`,
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `right blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `right repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `right multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct found`,
    0 AS `right ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane 2 values` AS `t`
      LEFT JOIN (
        SELECT
          `rk0` AS `k0`,
          SUM(`ln`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `rk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c1`
CROSS JOIN (
  SELECT
    COALESCE(SUM(CAST(`ln` AS DECIMAL(38, 0)) * `rn`), 0) AS `pairs`
  FROM `values that meet`
) AS `c2`

-- route <: rows
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `join` AS (
  SELECT
    `l`.`route`,
    `l`.`day`,
    `l`.`amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    FALSE AS `~gap 1`,
    `r`.`~here` IS NULL AS `~gap 2`,
    `l`.`~row` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane` AS `l`
  LEFT JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2`
  ) AS `r`
    ON `l`.`route` < `r`.`route`
  UNION ALL
  SELECT
    CAST(NULL AS STRING) AS `route`,
    CAST(NULL AS DATE) AS `day`,
    CAST(NULL AS BIGINT) AS `amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    TRUE AS `~gap 1`,
    FALSE AS `~gap 2`,
    CAST(NULL AS BIGINT) AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane 2` AS `r`
  WHERE
    NOT EXISTS(
      SELECT
        1
      FROM `lane` AS `l`
      WHERE
        `l`.`route` < `r`.`route`
    )
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `route (Others)` AS `route (Others)`,
  `day (Others)` AS `day (Others)`,
  `amount (Others)` AS `amount (Others)`
FROM `join`

-- route <: counts
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `lane values` AS (
  SELECT
    `l`.`route` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane` AS `l`
  WHERE
    NOT `l`.`route` IS NULL
  GROUP BY
    `l`.`route`
), `lane 2 values` AS (
  SELECT
    `r`.`route` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane 2` AS `r`
  WHERE
    NOT `r`.`route` IS NULL
  GROUP BY
    `r`.`route`
), `values that meet` AS (
  SELECT
    `l`.`k0` AS `lk0`,
    `r`.`k0` AS `rk0`,
    `l`.`n` AS `ln`,
    `r`.`n` AS `rn`
  FROM `lane values` AS `l`
  JOIN `lane 2 values` AS `r`
    ON `l`.`k0` < `r`.`k0`
)
SELECT
  `left rows`,
  `left found`,
  `left blank`,
  `left repeated`,
  `left multiplied`,
  `left distinct`,
  `left distinct found`,
  `left ambiguous`,
  `right rows`,
  `right found`,
  `right blank`,
  `right repeated`,
  `right multiplied`,
  `right distinct`,
  `right distinct found`,
  `right ambiguous`,
  `pairs`
FROM (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) AS `left rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `left found`,
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `left blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `left repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `left multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct found`,
    0 AS `left ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane values` AS `t`
      LEFT JOIN (
        SELECT
          `lk0` AS `k0`,
          SUM(`rn`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `lk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c0`
CROSS JOIN (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) AS `right rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `right found`,
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `right blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `right repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `right multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct found`,
    0 AS `right ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane 2 values` AS `t`
      LEFT JOIN (
        SELECT
          `rk0` AS `k0`,
          SUM(`ln`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `rk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c1`
CROSS JOIN (
  SELECT
    COALESCE(SUM(CAST(`ln` AS DECIMAL(38, 0)) * `rn`), 0) AS `pairs`
  FROM `values that meet`
) AS `c2`

-- route <=: rows
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `join` AS (
  SELECT
    `l`.`route`,
    `l`.`day`,
    `l`.`amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    FALSE AS `~gap 1`,
    `r`.`~here` IS NULL AS `~gap 2`,
    `l`.`~row` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane` AS `l`
  LEFT JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2`
  ) AS `r`
    ON `l`.`route` <= `r`.`route`
  UNION ALL
  SELECT
    CAST(NULL AS STRING) AS `route`,
    CAST(NULL AS DATE) AS `day`,
    CAST(NULL AS BIGINT) AS `amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    TRUE AS `~gap 1`,
    FALSE AS `~gap 2`,
    CAST(NULL AS BIGINT) AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane 2` AS `r`
  WHERE
    NOT EXISTS(
      SELECT
        1
      FROM `lane` AS `l`
      WHERE
        `l`.`route` <= `r`.`route`
    )
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `route (Others)` AS `route (Others)`,
  `day (Others)` AS `day (Others)`,
  `amount (Others)` AS `amount (Others)`
FROM `join`

-- route <=: counts
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `lane values` AS (
  SELECT
    `l`.`route` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane` AS `l`
  WHERE
    NOT `l`.`route` IS NULL
  GROUP BY
    `l`.`route`
), `lane 2 values` AS (
  SELECT
    `r`.`route` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane 2` AS `r`
  WHERE
    NOT `r`.`route` IS NULL
  GROUP BY
    `r`.`route`
), `values that meet` AS (
  SELECT
    `l`.`k0` AS `lk0`,
    `r`.`k0` AS `rk0`,
    `l`.`n` AS `ln`,
    `r`.`n` AS `rn`
  FROM `lane values` AS `l`
  JOIN `lane 2 values` AS `r`
    ON `l`.`k0` <= `r`.`k0`
)
SELECT
  `left rows`,
  `left found`,
  `left blank`,
  `left repeated`,
  `left multiplied`,
  `left distinct`,
  `left distinct found`,
  `left ambiguous`,
  `right rows`,
  `right found`,
  `right blank`,
  `right repeated`,
  `right multiplied`,
  `right distinct`,
  `right distinct found`,
  `right ambiguous`,
  `pairs`
FROM (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) AS `left rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `left found`,
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `left blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `left repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `left multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct found`,
    0 AS `left ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane values` AS `t`
      LEFT JOIN (
        SELECT
          `lk0` AS `k0`,
          SUM(`rn`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `lk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c0`
CROSS JOIN (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) AS `right rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `right found`,
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `right blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `right repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `right multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct found`,
    0 AS `right ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane 2 values` AS `t`
      LEFT JOIN (
        SELECT
          `rk0` AS `k0`,
          SUM(`ln`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `rk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c1`
CROSS JOIN (
  SELECT
    COALESCE(SUM(CAST(`ln` AS DECIMAL(38, 0)) * `rn`), 0) AS `pairs`
  FROM `values that meet`
) AS `c2`

-- route >: rows
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `join` AS (
  SELECT
    `l`.`route`,
    `l`.`day`,
    `l`.`amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    FALSE AS `~gap 1`,
    `r`.`~here` IS NULL AS `~gap 2`,
    `l`.`~row` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane` AS `l`
  LEFT JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2`
  ) AS `r`
    ON `l`.`route` > `r`.`route`
  UNION ALL
  SELECT
    CAST(NULL AS STRING) AS `route`,
    CAST(NULL AS DATE) AS `day`,
    CAST(NULL AS BIGINT) AS `amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    TRUE AS `~gap 1`,
    FALSE AS `~gap 2`,
    CAST(NULL AS BIGINT) AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane 2` AS `r`
  WHERE
    NOT EXISTS(
      SELECT
        1
      FROM `lane` AS `l`
      WHERE
        `l`.`route` > `r`.`route`
    )
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `route (Others)` AS `route (Others)`,
  `day (Others)` AS `day (Others)`,
  `amount (Others)` AS `amount (Others)`
FROM `join`

-- route >: counts
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `lane values` AS (
  SELECT
    `l`.`route` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane` AS `l`
  WHERE
    NOT `l`.`route` IS NULL
  GROUP BY
    `l`.`route`
), `lane 2 values` AS (
  SELECT
    `r`.`route` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane 2` AS `r`
  WHERE
    NOT `r`.`route` IS NULL
  GROUP BY
    `r`.`route`
), `values that meet` AS (
  SELECT
    `l`.`k0` AS `lk0`,
    `r`.`k0` AS `rk0`,
    `l`.`n` AS `ln`,
    `r`.`n` AS `rn`
  FROM `lane values` AS `l`
  JOIN `lane 2 values` AS `r`
    ON `l`.`k0` > `r`.`k0`
)
SELECT
  `left rows`,
  `left found`,
  `left blank`,
  `left repeated`,
  `left multiplied`,
  `left distinct`,
  `left distinct found`,
  `left ambiguous`,
  `right rows`,
  `right found`,
  `right blank`,
  `right repeated`,
  `right multiplied`,
  `right distinct`,
  `right distinct found`,
  `right ambiguous`,
  `pairs`
FROM (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) AS `left rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `left found`,
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `left blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `left repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `left multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct found`,
    0 AS `left ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane values` AS `t`
      LEFT JOIN (
        SELECT
          `lk0` AS `k0`,
          SUM(`rn`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `lk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c0`
CROSS JOIN (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) AS `right rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `right found`,
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `right blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `right repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `right multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct found`,
    0 AS `right ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane 2 values` AS `t`
      LEFT JOIN (
        SELECT
          `rk0` AS `k0`,
          SUM(`ln`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `rk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c1`
CROSS JOIN (
  SELECT
    COALESCE(SUM(CAST(`ln` AS DECIMAL(38, 0)) * `rn`), 0) AS `pairs`
  FROM `values that meet`
) AS `c2`

-- route >=: rows
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `join` AS (
  SELECT
    `l`.`route`,
    `l`.`day`,
    `l`.`amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    FALSE AS `~gap 1`,
    `r`.`~here` IS NULL AS `~gap 2`,
    `l`.`~row` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane` AS `l`
  LEFT JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2`
  ) AS `r`
    ON `l`.`route` >= `r`.`route`
  UNION ALL
  SELECT
    CAST(NULL AS STRING) AS `route`,
    CAST(NULL AS DATE) AS `day`,
    CAST(NULL AS BIGINT) AS `amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    TRUE AS `~gap 1`,
    FALSE AS `~gap 2`,
    CAST(NULL AS BIGINT) AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane 2` AS `r`
  WHERE
    NOT EXISTS(
      SELECT
        1
      FROM `lane` AS `l`
      WHERE
        `l`.`route` >= `r`.`route`
    )
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `route (Others)` AS `route (Others)`,
  `day (Others)` AS `day (Others)`,
  `amount (Others)` AS `amount (Others)`
FROM `join`

-- route >=: counts
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `lane values` AS (
  SELECT
    `l`.`route` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane` AS `l`
  WHERE
    NOT `l`.`route` IS NULL
  GROUP BY
    `l`.`route`
), `lane 2 values` AS (
  SELECT
    `r`.`route` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane 2` AS `r`
  WHERE
    NOT `r`.`route` IS NULL
  GROUP BY
    `r`.`route`
), `values that meet` AS (
  SELECT
    `l`.`k0` AS `lk0`,
    `r`.`k0` AS `rk0`,
    `l`.`n` AS `ln`,
    `r`.`n` AS `rn`
  FROM `lane values` AS `l`
  JOIN `lane 2 values` AS `r`
    ON `l`.`k0` >= `r`.`k0`
)
SELECT
  `left rows`,
  `left found`,
  `left blank`,
  `left repeated`,
  `left multiplied`,
  `left distinct`,
  `left distinct found`,
  `left ambiguous`,
  `right rows`,
  `right found`,
  `right blank`,
  `right repeated`,
  `right multiplied`,
  `right distinct`,
  `right distinct found`,
  `right ambiguous`,
  `pairs`
FROM (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) AS `left rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `left found`,
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `left blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `left repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `left multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct found`,
    0 AS `left ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane values` AS `t`
      LEFT JOIN (
        SELECT
          `lk0` AS `k0`,
          SUM(`rn`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `lk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c0`
CROSS JOIN (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) AS `right rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `right found`,
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `right blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `right repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `right multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct found`,
    0 AS `right ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane 2 values` AS `t`
      LEFT JOIN (
        SELECT
          `rk0` AS `k0`,
          SUM(`ln`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `rk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c1`
CROSS JOIN (
  SELECT
    COALESCE(SUM(CAST(`ln` AS DECIMAL(38, 0)) * `rn`), 0) AS `pairs`
  FROM `values that meet`
) AS `c2`

-- amount =: rows
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `join` AS (
  SELECT
    `l`.`route`,
    `l`.`day`,
    CASE WHEN `l`.`~here` IS NULL THEN `r`.`amount` ELSE `l`.`amount` END AS `amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `l`.`~here` IS NULL AS `~gap 1`,
    `r`.`~here` IS NULL AS `~gap 2`,
    `l`.`~row` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane`
  ) AS `l`
  FULL JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2`
  ) AS `r`
    ON `l`.`amount` = `r`.`amount`
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `route (Others)` AS `route (Others)`,
  `day (Others)` AS `day (Others)`
FROM `join`

-- amount =: counts
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
)
SELECT
  CAST(COALESCE(SUM(`l`.`n`), 0) AS BIGINT) AS `left rows`,
  CAST(COALESCE(
    SUM(CASE WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL THEN `l`.`n` ELSE 0 END),
    0
  ) AS BIGINT) AS `left found`,
  CAST(COALESCE(SUM(CASE WHEN NOT (
    NOT `l`.`k0` IS NULL
  ) THEN `l`.`n` ELSE 0 END), 0) AS BIGINT) AS `left blank`,
  CAST(COALESCE(
    SUM(
      CASE
        WHEN NOT `l`.`n` IS NULL AND NOT `l`.`k0` IS NULL AND `l`.`n` > 1
        THEN `l`.`n`
        ELSE 0
      END
    ),
    0
  ) AS BIGINT) AS `left repeated`,
  CAST(COALESCE(
    SUM(
      CASE
        WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL AND `r`.`n` > 1
        THEN `l`.`n`
        ELSE 0
      END
    ),
    0
  ) AS BIGINT) AS `left multiplied`,
  CAST(COALESCE(SUM(CASE WHEN NOT `l`.`n` IS NULL AND NOT `l`.`k0` IS NULL THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct`,
  CAST(COALESCE(SUM(CASE WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct found`,
  0 AS `left ambiguous`,
  CAST(COALESCE(SUM(`r`.`n`), 0) AS BIGINT) AS `right rows`,
  CAST(COALESCE(
    SUM(CASE WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL THEN `r`.`n` ELSE 0 END),
    0
  ) AS BIGINT) AS `right found`,
  CAST(COALESCE(SUM(CASE WHEN NOT (
    NOT `r`.`k0` IS NULL
  ) THEN `r`.`n` ELSE 0 END), 0) AS BIGINT) AS `right blank`,
  CAST(COALESCE(
    SUM(
      CASE
        WHEN NOT `r`.`n` IS NULL AND NOT `r`.`k0` IS NULL AND `r`.`n` > 1
        THEN `r`.`n`
        ELSE 0
      END
    ),
    0
  ) AS BIGINT) AS `right repeated`,
  CAST(COALESCE(
    SUM(
      CASE
        WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL AND `l`.`n` > 1
        THEN `r`.`n`
        ELSE 0
      END
    ),
    0
  ) AS BIGINT) AS `right multiplied`,
  CAST(COALESCE(SUM(CASE WHEN NOT `r`.`n` IS NULL AND NOT `r`.`k0` IS NULL THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct`,
  CAST(COALESCE(SUM(CASE WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct found`,
  0 AS `right ambiguous`,
  COALESCE(
    SUM(
      CASE
        WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL
        THEN CAST(`l`.`n` AS DECIMAL(38, 0)) * `r`.`n`
      END
    ),
    0
  ) AS `pairs`
FROM (
  SELECT
    `l`.`amount` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane` AS `l`
  GROUP BY
    `l`.`amount`
) AS `l`
FULL JOIN (
  SELECT
    `r`.`amount` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane 2` AS `r`
  GROUP BY
    `r`.`amount`
) AS `r`
  ON `l`.`k0` = `r`.`k0`

-- amount <>: rows
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `join` AS (
  SELECT
    `l`.`route`,
    `l`.`day`,
    `l`.`amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    FALSE AS `~gap 1`,
    `r`.`~here` IS NULL AS `~gap 2`,
    `l`.`~row` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane` AS `l`
  LEFT JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2`
  ) AS `r`
    ON `l`.`amount` <> `r`.`amount`
  UNION ALL
  SELECT
    CAST(NULL AS STRING) AS `route`,
    CAST(NULL AS DATE) AS `day`,
    CAST(NULL AS BIGINT) AS `amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    TRUE AS `~gap 1`,
    FALSE AS `~gap 2`,
    CAST(NULL AS BIGINT) AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane 2` AS `r`
  WHERE
    NOT EXISTS(
      SELECT
        1
      FROM `lane` AS `l`
      WHERE
        `l`.`amount` <> `r`.`amount`
    )
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `route (Others)` AS `route (Others)`,
  `day (Others)` AS `day (Others)`,
  `amount (Others)` AS `amount (Others)`
FROM `join`

-- amount <>: counts
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `lane values` AS (
  SELECT
    `l`.`amount` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane` AS `l`
  WHERE
    NOT `l`.`amount` IS NULL
  GROUP BY
    `l`.`amount`
), `lane 2 values` AS (
  SELECT
    `r`.`amount` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane 2` AS `r`
  WHERE
    NOT `r`.`amount` IS NULL
  GROUP BY
    `r`.`amount`
), `values that meet` AS (
  SELECT
    `l`.`k0` AS `lk0`,
    `r`.`k0` AS `rk0`,
    `l`.`n` AS `ln`,
    `r`.`n` AS `rn`
  FROM `lane values` AS `l`
  JOIN `lane 2 values` AS `r`
    ON `l`.`k0` <> `r`.`k0`
)
SELECT
  `left rows`,
  `left found`,
  `left blank`,
  `left repeated`,
  `left multiplied`,
  `left distinct`,
  `left distinct found`,
  `left ambiguous`,
  `right rows`,
  `right found`,
  `right blank`,
  `right repeated`,
  `right multiplied`,
  `right distinct`,
  `right distinct found`,
  `right ambiguous`,
  `pairs`
FROM (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) AS `left rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `left found`,
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `left blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `left repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `left multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct found`,
    0 AS `left ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane values` AS `t`
      LEFT JOIN (
        SELECT
          `lk0` AS `k0`,
          SUM(`rn`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `lk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c0`
CROSS JOIN (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) AS `right rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `right found`,
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `right blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `right repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `right multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct found`,
    0 AS `right ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane 2 values` AS `t`
      LEFT JOIN (
        SELECT
          `rk0` AS `k0`,
          SUM(`ln`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `rk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c1`
CROSS JOIN (
  SELECT
    COALESCE(SUM(CAST(`ln` AS DECIMAL(38, 0)) * `rn`), 0) AS `pairs`
  FROM `values that meet`
) AS `c2`

-- amount <: rows
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `join` AS (
  SELECT
    `l`.`route`,
    `l`.`day`,
    `l`.`amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    FALSE AS `~gap 1`,
    `r`.`~here` IS NULL AS `~gap 2`,
    `l`.`~row` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane` AS `l`
  LEFT JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2`
  ) AS `r`
    ON `l`.`amount` < `r`.`amount`
  UNION ALL
  SELECT
    CAST(NULL AS STRING) AS `route`,
    CAST(NULL AS DATE) AS `day`,
    CAST(NULL AS BIGINT) AS `amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    TRUE AS `~gap 1`,
    FALSE AS `~gap 2`,
    CAST(NULL AS BIGINT) AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane 2` AS `r`
  WHERE
    NOT EXISTS(
      SELECT
        1
      FROM `lane` AS `l`
      WHERE
        `l`.`amount` < `r`.`amount`
    )
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `route (Others)` AS `route (Others)`,
  `day (Others)` AS `day (Others)`,
  `amount (Others)` AS `amount (Others)`
FROM `join`

-- amount <: counts
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `lane values` AS (
  SELECT
    `l`.`amount` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane` AS `l`
  WHERE
    NOT `l`.`amount` IS NULL
  GROUP BY
    `l`.`amount`
), `lane 2 values` AS (
  SELECT
    `r`.`amount` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane 2` AS `r`
  WHERE
    NOT `r`.`amount` IS NULL
  GROUP BY
    `r`.`amount`
), `values that meet` AS (
  SELECT
    `l`.`k0` AS `lk0`,
    `r`.`k0` AS `rk0`,
    `l`.`n` AS `ln`,
    `r`.`n` AS `rn`
  FROM `lane values` AS `l`
  JOIN `lane 2 values` AS `r`
    ON `l`.`k0` < `r`.`k0`
)
SELECT
  `left rows`,
  `left found`,
  `left blank`,
  `left repeated`,
  `left multiplied`,
  `left distinct`,
  `left distinct found`,
  `left ambiguous`,
  `right rows`,
  `right found`,
  `right blank`,
  `right repeated`,
  `right multiplied`,
  `right distinct`,
  `right distinct found`,
  `right ambiguous`,
  `pairs`
FROM (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) AS `left rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `left found`,
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `left blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `left repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `left multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct found`,
    0 AS `left ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane values` AS `t`
      LEFT JOIN (
        SELECT
          `lk0` AS `k0`,
          SUM(`rn`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `lk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c0`
CROSS JOIN (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) AS `right rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `right found`,
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `right blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `right repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `right multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct found`,
    0 AS `right ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane 2 values` AS `t`
      LEFT JOIN (
        SELECT
          `rk0` AS `k0`,
          SUM(`ln`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `rk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c1`
CROSS JOIN (
  SELECT
    COALESCE(SUM(CAST(`ln` AS DECIMAL(38, 0)) * `rn`), 0) AS `pairs`
  FROM `values that meet`
) AS `c2`

-- amount <=: rows
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `join` AS (
  SELECT
    `l`.`route`,
    `l`.`day`,
    `l`.`amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    FALSE AS `~gap 1`,
    `r`.`~here` IS NULL AS `~gap 2`,
    `l`.`~row` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane` AS `l`
  LEFT JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2`
  ) AS `r`
    ON `l`.`amount` <= `r`.`amount`
  UNION ALL
  SELECT
    CAST(NULL AS STRING) AS `route`,
    CAST(NULL AS DATE) AS `day`,
    CAST(NULL AS BIGINT) AS `amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    TRUE AS `~gap 1`,
    FALSE AS `~gap 2`,
    CAST(NULL AS BIGINT) AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane 2` AS `r`
  WHERE
    NOT EXISTS(
      SELECT
        1
      FROM `lane` AS `l`
      WHERE
        `l`.`amount` <= `r`.`amount`
    )
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `route (Others)` AS `route (Others)`,
  `day (Others)` AS `day (Others)`,
  `amount (Others)` AS `amount (Others)`
FROM `join`

-- amount <=: counts
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `lane values` AS (
  SELECT
    `l`.`amount` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane` AS `l`
  WHERE
    NOT `l`.`amount` IS NULL
  GROUP BY
    `l`.`amount`
), `lane 2 values` AS (
  SELECT
    `r`.`amount` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane 2` AS `r`
  WHERE
    NOT `r`.`amount` IS NULL
  GROUP BY
    `r`.`amount`
), `values that meet` AS (
  SELECT
    `l`.`k0` AS `lk0`,
    `r`.`k0` AS `rk0`,
    `l`.`n` AS `ln`,
    `r`.`n` AS `rn`
  FROM `lane values` AS `l`
  JOIN `lane 2 values` AS `r`
    ON `l`.`k0` <= `r`.`k0`
)
SELECT
  `left rows`,
  `left found`,
  `left blank`,
  `left repeated`,
  `left multiplied`,
  `left distinct`,
  `left distinct found`,
  `left ambiguous`,
  `right rows`,
  `right found`,
  `right blank`,
  `right repeated`,
  `right multiplied`,
  `right distinct`,
  `right distinct found`,
  `right ambiguous`,
  `pairs`
FROM (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) AS `left rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `left found`,
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `left blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `left repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `left multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct found`,
    0 AS `left ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane values` AS `t`
      LEFT JOIN (
        SELECT
          `lk0` AS `k0`,
          SUM(`rn`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `lk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c0`
CROSS JOIN (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) AS `right rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `right found`,
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `right blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `right repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `right multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct found`,
    0 AS `right ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane 2 values` AS `t`
      LEFT JOIN (
        SELECT
          `rk0` AS `k0`,
          SUM(`ln`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `rk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c1`
CROSS JOIN (
  SELECT
    COALESCE(SUM(CAST(`ln` AS DECIMAL(38, 0)) * `rn`), 0) AS `pairs`
  FROM `values that meet`
) AS `c2`

-- amount >: rows
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `join` AS (
  SELECT
    `l`.`route`,
    `l`.`day`,
    `l`.`amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    FALSE AS `~gap 1`,
    `r`.`~here` IS NULL AS `~gap 2`,
    `l`.`~row` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane` AS `l`
  LEFT JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2`
  ) AS `r`
    ON `l`.`amount` > `r`.`amount`
  UNION ALL
  SELECT
    CAST(NULL AS STRING) AS `route`,
    CAST(NULL AS DATE) AS `day`,
    CAST(NULL AS BIGINT) AS `amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    TRUE AS `~gap 1`,
    FALSE AS `~gap 2`,
    CAST(NULL AS BIGINT) AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane 2` AS `r`
  WHERE
    NOT EXISTS(
      SELECT
        1
      FROM `lane` AS `l`
      WHERE
        `l`.`amount` > `r`.`amount`
    )
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `route (Others)` AS `route (Others)`,
  `day (Others)` AS `day (Others)`,
  `amount (Others)` AS `amount (Others)`
FROM `join`

-- amount >: counts
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `lane values` AS (
  SELECT
    `l`.`amount` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane` AS `l`
  WHERE
    NOT `l`.`amount` IS NULL
  GROUP BY
    `l`.`amount`
), `lane 2 values` AS (
  SELECT
    `r`.`amount` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane 2` AS `r`
  WHERE
    NOT `r`.`amount` IS NULL
  GROUP BY
    `r`.`amount`
), `values that meet` AS (
  SELECT
    `l`.`k0` AS `lk0`,
    `r`.`k0` AS `rk0`,
    `l`.`n` AS `ln`,
    `r`.`n` AS `rn`
  FROM `lane values` AS `l`
  JOIN `lane 2 values` AS `r`
    ON `l`.`k0` > `r`.`k0`
)
SELECT
  `left rows`,
  `left found`,
  `left blank`,
  `left repeated`,
  `left multiplied`,
  `left distinct`,
  `left distinct found`,
  `left ambiguous`,
  `right rows`,
  `right found`,
  `right blank`,
  `right repeated`,
  `right multiplied`,
  `right distinct`,
  `right distinct found`,
  `right ambiguous`,
  `pairs`
FROM (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) AS `left rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `left found`,
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `left blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `left repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `left multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct found`,
    0 AS `left ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane values` AS `t`
      LEFT JOIN (
        SELECT
          `lk0` AS `k0`,
          SUM(`rn`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `lk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c0`
CROSS JOIN (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) AS `right rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `right found`,
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `right blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `right repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `right multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct found`,
    0 AS `right ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane 2 values` AS `t`
      LEFT JOIN (
        SELECT
          `rk0` AS `k0`,
          SUM(`ln`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `rk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c1`
CROSS JOIN (
  SELECT
    COALESCE(SUM(CAST(`ln` AS DECIMAL(38, 0)) * `rn`), 0) AS `pairs`
  FROM `values that meet`
) AS `c2`

-- amount >=: rows
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `join` AS (
  SELECT
    `l`.`route`,
    `l`.`day`,
    `l`.`amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    FALSE AS `~gap 1`,
    `r`.`~here` IS NULL AS `~gap 2`,
    `l`.`~row` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane` AS `l`
  LEFT JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2`
  ) AS `r`
    ON `l`.`amount` >= `r`.`amount`
  UNION ALL
  SELECT
    CAST(NULL AS STRING) AS `route`,
    CAST(NULL AS DATE) AS `day`,
    CAST(NULL AS BIGINT) AS `amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    TRUE AS `~gap 1`,
    FALSE AS `~gap 2`,
    CAST(NULL AS BIGINT) AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane 2` AS `r`
  WHERE
    NOT EXISTS(
      SELECT
        1
      FROM `lane` AS `l`
      WHERE
        `l`.`amount` >= `r`.`amount`
    )
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `route (Others)` AS `route (Others)`,
  `day (Others)` AS `day (Others)`,
  `amount (Others)` AS `amount (Others)`
FROM `join`

-- amount >=: counts
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `lane values` AS (
  SELECT
    `l`.`amount` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane` AS `l`
  WHERE
    NOT `l`.`amount` IS NULL
  GROUP BY
    `l`.`amount`
), `lane 2 values` AS (
  SELECT
    `r`.`amount` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane 2` AS `r`
  WHERE
    NOT `r`.`amount` IS NULL
  GROUP BY
    `r`.`amount`
), `values that meet` AS (
  SELECT
    `l`.`k0` AS `lk0`,
    `r`.`k0` AS `rk0`,
    `l`.`n` AS `ln`,
    `r`.`n` AS `rn`
  FROM `lane values` AS `l`
  JOIN `lane 2 values` AS `r`
    ON `l`.`k0` >= `r`.`k0`
)
SELECT
  `left rows`,
  `left found`,
  `left blank`,
  `left repeated`,
  `left multiplied`,
  `left distinct`,
  `left distinct found`,
  `left ambiguous`,
  `right rows`,
  `right found`,
  `right blank`,
  `right repeated`,
  `right multiplied`,
  `right distinct`,
  `right distinct found`,
  `right ambiguous`,
  `pairs`
FROM (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) AS `left rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `left found`,
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `left blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `left repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `left multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct found`,
    0 AS `left ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane values` AS `t`
      LEFT JOIN (
        SELECT
          `lk0` AS `k0`,
          SUM(`rn`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `lk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c0`
CROSS JOIN (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) AS `right rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `right found`,
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `right blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `right repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `right multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct found`,
    0 AS `right ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane 2 values` AS `t`
      LEFT JOIN (
        SELECT
          `rk0` AS `k0`,
          SUM(`ln`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `rk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c1`
CROSS JOIN (
  SELECT
    COALESCE(SUM(CAST(`ln` AS DECIMAL(38, 0)) * `rn`), 0) AS `pairs`
  FROM `values that meet`
) AS `c2`

-- amount nearest earlier: rows
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `lane links` AS (
  SELECT DISTINCT
    `l`.`amount` AS `~link 1`
  FROM `lane` AS `l`
  WHERE
    NOT `l`.`amount` IS NULL
), `lane 2 links` AS (
  SELECT DISTINCT
    `r`.`amount` AS `~link 1`
  FROM `lane 2` AS `r`
  WHERE
    NOT `r`.`amount` IS NULL
), `nearest` AS (
  SELECT
    `~link 1`,
    `~nearest 2`
  FROM (
    SELECT
      `~link 1`,
      `~side`,
      MAX(CASE WHEN `~side` = 1 THEN `~link 1` END) OVER (
        ORDER BY `~link 1` ASC NULLS LAST, `~side` DESC
        ROWS BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW
      ) AS `~nearest 2`
    FROM (
      SELECT
        `~link 1`,
        0 AS `~side`
      FROM `lane links`
      UNION ALL
      SELECT
        `~link 1`,
        1 AS `~side`
      FROM `lane 2 links`
    ) AS `u`
  ) AS `w`
  WHERE
    `~side` = 0
), `nearest 2` AS (
  SELECT
    *
  FROM `nearest`
  WHERE
    NOT `~nearest 2` IS NULL
), `lane 2 nearest` AS (
  SELECT
    `r`.*,
    `n`.`~link 1` AS `~link 1 l`
  FROM `lane 2` AS `r`
  JOIN `nearest 2` AS `n`
    ON `r`.`amount` = `n`.`~nearest 2`
), `join` AS (
  SELECT
    `l`.`route`,
    `l`.`day`,
    `l`.`amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    FALSE AS `~gap 3`,
    `r`.`~here` IS NULL AS `~gap 4`,
    `l`.`~row` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane` AS `l`
  LEFT JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2 nearest`
  ) AS `r`
    ON `l`.`amount` = `r`.`~link 1 l`
  UNION ALL
  SELECT
    CAST(NULL AS STRING) AS `route`,
    CAST(NULL AS DATE) AS `day`,
    CAST(NULL AS BIGINT) AS `amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    TRUE AS `~gap 3`,
    FALSE AS `~gap 4`,
    CAST(NULL AS BIGINT) AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane 2` AS `r`
  WHERE
    NOT EXISTS(
      SELECT
        1
      FROM `nearest 2` AS `n`
      WHERE
        `r`.`amount` = `n`.`~nearest 2`
    )
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `route (Others)` AS `route (Others)`,
  `day (Others)` AS `day (Others)`,
  `amount (Others)` AS `amount (Others)`
FROM `join`

-- amount nearest earlier: counts
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `lane links` AS (
  SELECT DISTINCT
    `l`.`amount` AS `~link 1`
  FROM `lane` AS `l`
  WHERE
    NOT `l`.`amount` IS NULL
), `lane 2 links` AS (
  SELECT DISTINCT
    `r`.`amount` AS `~link 1`
  FROM `lane 2` AS `r`
  WHERE
    NOT `r`.`amount` IS NULL
), `nearest` AS (
  SELECT
    `~link 1`,
    `~nearest 2`
  FROM (
    SELECT
      `~link 1`,
      `~side`,
      MAX(CASE WHEN `~side` = 1 THEN `~link 1` END) OVER (
        ORDER BY `~link 1` ASC NULLS LAST, `~side` DESC
        ROWS BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW
      ) AS `~nearest 2`
    FROM (
      SELECT
        `~link 1`,
        0 AS `~side`
      FROM `lane links`
      UNION ALL
      SELECT
        `~link 1`,
        1 AS `~side`
      FROM `lane 2 links`
    ) AS `u`
  ) AS `w`
  WHERE
    `~side` = 0
), `nearest 2` AS (
  SELECT
    *
  FROM `nearest`
  WHERE
    NOT `~nearest 2` IS NULL
), `lane values` AS (
  SELECT
    `l`.`amount` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane` AS `l`
  WHERE
    NOT `l`.`amount` IS NULL
  GROUP BY
    `l`.`amount`
), `lane 2 values` AS (
  SELECT
    `r`.`amount` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane 2` AS `r`
  WHERE
    NOT `r`.`amount` IS NULL
  GROUP BY
    `r`.`amount`
), `values that meet` AS (
  SELECT
    `l`.`k0` AS `lk0`,
    `r`.`k0` AS `rk0`,
    `l`.`n` AS `ln`,
    `r`.`n` AS `rn`
  FROM `nearest 2` AS `p`
  JOIN `lane values` AS `l`
    ON `l`.`k0` = `p`.`~link 1`
  JOIN `lane 2 values` AS `r`
    ON `r`.`k0` = `p`.`~nearest 2`
)
SELECT
  `left rows`,
  `left found`,
  `left blank`,
  `left repeated`,
  `left multiplied`,
  `left distinct`,
  `left distinct found`,
  `left ambiguous`,
  `right rows`,
  `right found`,
  `right blank`,
  `right repeated`,
  `right multiplied`,
  `right distinct`,
  `right distinct found`,
  `right ambiguous`,
  `pairs`
FROM (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) AS `left rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `left found`,
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `left blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `left repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `left multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct found`,
    0 AS `left ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane values` AS `t`
      LEFT JOIN (
        SELECT
          `lk0` AS `k0`,
          SUM(`rn`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `lk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c0`
CROSS JOIN (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) AS `right rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `right found`,
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `right blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `right repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `right multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct found`,
    0 AS `right ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane 2 values` AS `t`
      LEFT JOIN (
        SELECT
          `rk0` AS `k0`,
          SUM(`ln`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `rk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c1`
CROSS JOIN (
  SELECT
    COALESCE(SUM(CAST(`ln` AS DECIMAL(38, 0)) * `rn`), 0) AS `pairs`
  FROM `values that meet`
) AS `c2`

-- amount nearest later: rows
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `lane links` AS (
  SELECT DISTINCT
    `l`.`amount` AS `~link 1`
  FROM `lane` AS `l`
  WHERE
    NOT `l`.`amount` IS NULL
), `lane 2 links` AS (
  SELECT DISTINCT
    `r`.`amount` AS `~link 1`
  FROM `lane 2` AS `r`
  WHERE
    NOT `r`.`amount` IS NULL
), `nearest` AS (
  SELECT
    `~link 1`,
    `~nearest 2`
  FROM (
    SELECT
      `~link 1`,
      `~side`,
      MIN(CASE WHEN `~side` = 1 THEN `~link 1` END) OVER (
        ORDER BY `~link 1` DESC, `~side` DESC
        ROWS BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW
      ) AS `~nearest 2`
    FROM (
      SELECT
        `~link 1`,
        0 AS `~side`
      FROM `lane links`
      UNION ALL
      SELECT
        `~link 1`,
        1 AS `~side`
      FROM `lane 2 links`
    ) AS `u`
  ) AS `w`
  WHERE
    `~side` = 0
), `nearest 2` AS (
  SELECT
    *
  FROM `nearest`
  WHERE
    NOT `~nearest 2` IS NULL
), `lane 2 nearest` AS (
  SELECT
    `r`.*,
    `n`.`~link 1` AS `~link 1 l`
  FROM `lane 2` AS `r`
  JOIN `nearest 2` AS `n`
    ON `r`.`amount` = `n`.`~nearest 2`
), `join` AS (
  SELECT
    `l`.`route`,
    `l`.`day`,
    `l`.`amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    FALSE AS `~gap 3`,
    `r`.`~here` IS NULL AS `~gap 4`,
    `l`.`~row` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane` AS `l`
  LEFT JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2 nearest`
  ) AS `r`
    ON `l`.`amount` = `r`.`~link 1 l`
  UNION ALL
  SELECT
    CAST(NULL AS STRING) AS `route`,
    CAST(NULL AS DATE) AS `day`,
    CAST(NULL AS BIGINT) AS `amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    TRUE AS `~gap 3`,
    FALSE AS `~gap 4`,
    CAST(NULL AS BIGINT) AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane 2` AS `r`
  WHERE
    NOT EXISTS(
      SELECT
        1
      FROM `nearest 2` AS `n`
      WHERE
        `r`.`amount` = `n`.`~nearest 2`
    )
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `route (Others)` AS `route (Others)`,
  `day (Others)` AS `day (Others)`,
  `amount (Others)` AS `amount (Others)`
FROM `join`

-- amount nearest later: counts
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `lane links` AS (
  SELECT DISTINCT
    `l`.`amount` AS `~link 1`
  FROM `lane` AS `l`
  WHERE
    NOT `l`.`amount` IS NULL
), `lane 2 links` AS (
  SELECT DISTINCT
    `r`.`amount` AS `~link 1`
  FROM `lane 2` AS `r`
  WHERE
    NOT `r`.`amount` IS NULL
), `nearest` AS (
  SELECT
    `~link 1`,
    `~nearest 2`
  FROM (
    SELECT
      `~link 1`,
      `~side`,
      MIN(CASE WHEN `~side` = 1 THEN `~link 1` END) OVER (
        ORDER BY `~link 1` DESC, `~side` DESC
        ROWS BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW
      ) AS `~nearest 2`
    FROM (
      SELECT
        `~link 1`,
        0 AS `~side`
      FROM `lane links`
      UNION ALL
      SELECT
        `~link 1`,
        1 AS `~side`
      FROM `lane 2 links`
    ) AS `u`
  ) AS `w`
  WHERE
    `~side` = 0
), `nearest 2` AS (
  SELECT
    *
  FROM `nearest`
  WHERE
    NOT `~nearest 2` IS NULL
), `lane values` AS (
  SELECT
    `l`.`amount` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane` AS `l`
  WHERE
    NOT `l`.`amount` IS NULL
  GROUP BY
    `l`.`amount`
), `lane 2 values` AS (
  SELECT
    `r`.`amount` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane 2` AS `r`
  WHERE
    NOT `r`.`amount` IS NULL
  GROUP BY
    `r`.`amount`
), `values that meet` AS (
  SELECT
    `l`.`k0` AS `lk0`,
    `r`.`k0` AS `rk0`,
    `l`.`n` AS `ln`,
    `r`.`n` AS `rn`
  FROM `nearest 2` AS `p`
  JOIN `lane values` AS `l`
    ON `l`.`k0` = `p`.`~link 1`
  JOIN `lane 2 values` AS `r`
    ON `r`.`k0` = `p`.`~nearest 2`
)
SELECT
  `left rows`,
  `left found`,
  `left blank`,
  `left repeated`,
  `left multiplied`,
  `left distinct`,
  `left distinct found`,
  `left ambiguous`,
  `right rows`,
  `right found`,
  `right blank`,
  `right repeated`,
  `right multiplied`,
  `right distinct`,
  `right distinct found`,
  `right ambiguous`,
  `pairs`
FROM (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) AS `left rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `left found`,
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `left blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `left repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `left multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct found`,
    0 AS `left ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane values` AS `t`
      LEFT JOIN (
        SELECT
          `lk0` AS `k0`,
          SUM(`rn`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `lk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c0`
CROSS JOIN (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) AS `right rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `right found`,
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `right blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `right repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `right multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct found`,
    0 AS `right ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane 2 values` AS `t`
      LEFT JOIN (
        SELECT
          `rk0` AS `k0`,
          SUM(`ln`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `rk0`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0`
    ) AS `o`
  ) AS `k`
) AS `c1`
CROSS JOIN (
  SELECT
    COALESCE(SUM(CAST(`ln` AS DECIMAL(38, 0)) * `rn`), 0) AS `pairs`
  FROM `values that meet`
) AS `c2`

-- nearest earlier within 2 days, strictly: rows
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `lane links` AS (
  SELECT DISTINCT
    `l`.`route` AS `~link 1`,
    `l`.`day` AS `~link 2`
  FROM `lane` AS `l`
  WHERE
    NOT `l`.`route` IS NULL AND NOT `l`.`day` IS NULL
), `lane 2 links` AS (
  SELECT DISTINCT
    `r`.`route` AS `~link 1`,
    `r`.`day` AS `~link 2`
  FROM `lane 2` AS `r`
  WHERE
    NOT `r`.`route` IS NULL AND NOT `r`.`day` IS NULL
), `nearest` AS (
  SELECT
    `~link 1`,
    `~link 2`,
    `~nearest 3`
  FROM (
    SELECT
      `~link 1`,
      `~link 2`,
      `~side`,
      MAX(CASE WHEN `~side` = 1 THEN `~link 2` END) OVER (
        PARTITION BY `~link 1`
        ORDER BY `~link 2` ASC NULLS LAST, `~side` ASC NULLS LAST
        ROWS BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW
      ) AS `~nearest 3`
    FROM (
      SELECT
        `~link 1`,
        `~link 2`,
        0 AS `~side`
      FROM `lane links`
      UNION ALL
      SELECT
        `~link 1`,
        `~link 2`,
        1 AS `~side`
      FROM `lane 2 links`
    ) AS `u`
  ) AS `w`
  WHERE
    `~side` = 0
), `nearest 2` AS (
  SELECT
    *
  FROM `nearest`
  WHERE
    NOT `~nearest 3` IS NULL AND ABS(DATEDIFF(`~link 2`, `~nearest 3`)) <= 2
), `lane 2 nearest` AS (
  SELECT
    `r`.*,
    `n`.`~link 1` AS `~link 1 l`,
    `n`.`~link 2` AS `~link 2 l`
  FROM `lane 2` AS `r`
  JOIN `nearest 2` AS `n`
    ON `r`.`route` = `n`.`~link 1` AND `r`.`day` = `n`.`~nearest 3`
), `join` AS (
  SELECT
    `l`.`route`,
    `l`.`day`,
    `l`.`amount`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    FALSE AS `~gap 4`,
    `r`.`~here` IS NULL AS `~gap 5`,
    `l`.`~row` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane` AS `l`
  LEFT JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2 nearest`
  ) AS `r`
    ON `l`.`route` = `r`.`~link 1 l` AND `l`.`day` = `r`.`~link 2 l`
  UNION ALL
  SELECT
    `r`.`route`,
    CAST(NULL AS DATE) AS `day`,
    CAST(NULL AS BIGINT) AS `amount`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    TRUE AS `~gap 4`,
    FALSE AS `~gap 5`,
    CAST(NULL AS BIGINT) AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane 2` AS `r`
  WHERE
    NOT EXISTS(
      SELECT
        1
      FROM `nearest 2` AS `n`
      WHERE
        `r`.`route` = `n`.`~link 1` AND `r`.`day` = `n`.`~nearest 3`
    )
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `day (Others)` AS `day (Others)`,
  `amount (Others)` AS `amount (Others)`
FROM `join`

-- nearest earlier within 2 days, strictly: counts
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `lane links` AS (
  SELECT DISTINCT
    `l`.`route` AS `~link 1`,
    `l`.`day` AS `~link 2`
  FROM `lane` AS `l`
  WHERE
    NOT `l`.`route` IS NULL AND NOT `l`.`day` IS NULL
), `lane 2 links` AS (
  SELECT DISTINCT
    `r`.`route` AS `~link 1`,
    `r`.`day` AS `~link 2`
  FROM `lane 2` AS `r`
  WHERE
    NOT `r`.`route` IS NULL AND NOT `r`.`day` IS NULL
), `nearest` AS (
  SELECT
    `~link 1`,
    `~link 2`,
    `~nearest 3`
  FROM (
    SELECT
      `~link 1`,
      `~link 2`,
      `~side`,
      MAX(CASE WHEN `~side` = 1 THEN `~link 2` END) OVER (
        PARTITION BY `~link 1`
        ORDER BY `~link 2` ASC NULLS LAST, `~side` ASC NULLS LAST
        ROWS BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW
      ) AS `~nearest 3`
    FROM (
      SELECT
        `~link 1`,
        `~link 2`,
        0 AS `~side`
      FROM `lane links`
      UNION ALL
      SELECT
        `~link 1`,
        `~link 2`,
        1 AS `~side`
      FROM `lane 2 links`
    ) AS `u`
  ) AS `w`
  WHERE
    `~side` = 0
), `nearest 2` AS (
  SELECT
    *
  FROM `nearest`
  WHERE
    NOT `~nearest 3` IS NULL AND ABS(DATEDIFF(`~link 2`, `~nearest 3`)) <= 2
), `lane values` AS (
  SELECT
    `l`.`route` AS `k0`,
    `l`.`day` AS `k1`,
    COUNT(*) AS `n`
  FROM `lane` AS `l`
  WHERE
    NOT `l`.`route` IS NULL AND NOT `l`.`day` IS NULL
  GROUP BY
    `l`.`route`,
    `l`.`day`
), `lane 2 values` AS (
  SELECT
    `r`.`route` AS `k0`,
    `r`.`day` AS `k1`,
    COUNT(*) AS `n`
  FROM `lane 2` AS `r`
  WHERE
    NOT `r`.`route` IS NULL AND NOT `r`.`day` IS NULL
  GROUP BY
    `r`.`route`,
    `r`.`day`
), `values that meet` AS (
  SELECT
    `l`.`k0` AS `lk0`,
    `l`.`k1` AS `lk1`,
    `r`.`k0` AS `rk0`,
    `r`.`k1` AS `rk1`,
    `l`.`n` AS `ln`,
    `r`.`n` AS `rn`
  FROM `nearest 2` AS `p`
  JOIN `lane values` AS `l`
    ON `l`.`k0` = `p`.`~link 1` AND `l`.`k1` = `p`.`~link 2`
  JOIN `lane 2 values` AS `r`
    ON `r`.`k0` = `p`.`~link 1` AND `r`.`k1` = `p`.`~nearest 3`
)
SELECT
  `left rows`,
  `left found`,
  `left blank`,
  `left repeated`,
  `left multiplied`,
  `left distinct`,
  `left distinct found`,
  `left ambiguous`,
  `right rows`,
  `right found`,
  `right blank`,
  `right repeated`,
  `right multiplied`,
  `right distinct`,
  `right distinct found`,
  `right ambiguous`,
  `pairs`
FROM (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) AS `left rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `left found`,
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `left blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `left repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `left multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct found`,
    0 AS `left ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`k0`,
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane values` AS `t`
      LEFT JOIN (
        SELECT
          `lk0` AS `k0`,
          `lk1` AS `k1`,
          SUM(`rn`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `lk0`,
          `lk1`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0` AND `t`.`k1` = `p`.`k1`
    ) AS `o`
    GROUP BY
      `k0`
  ) AS `k`
) AS `c0`
CROSS JOIN (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) AS `right rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `right found`,
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `right blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `right repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `right multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct found`,
    0 AS `right ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`k0`,
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane 2 values` AS `t`
      LEFT JOIN (
        SELECT
          `rk0` AS `k0`,
          `rk1` AS `k1`,
          SUM(`ln`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `rk0`,
          `rk1`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0` AND `t`.`k1` = `p`.`k1`
    ) AS `o`
    GROUP BY
      `k0`
  ) AS `k`
) AS `c1`
CROSS JOIN (
  SELECT
    COALESCE(SUM(CAST(`ln` AS DECIMAL(38, 0)) * `rn`), 0) AS `pairs`
  FROM `values that meet`
) AS `c2`

-- nearest later within 2 days, strictly: rows
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `lane links` AS (
  SELECT DISTINCT
    `l`.`route` AS `~link 1`,
    `l`.`day` AS `~link 2`
  FROM `lane` AS `l`
  WHERE
    NOT `l`.`route` IS NULL AND NOT `l`.`day` IS NULL
), `lane 2 links` AS (
  SELECT DISTINCT
    `r`.`route` AS `~link 1`,
    `r`.`day` AS `~link 2`
  FROM `lane 2` AS `r`
  WHERE
    NOT `r`.`route` IS NULL AND NOT `r`.`day` IS NULL
), `nearest` AS (
  SELECT
    `~link 1`,
    `~link 2`,
    `~nearest 3`
  FROM (
    SELECT
      `~link 1`,
      `~link 2`,
      `~side`,
      MIN(CASE WHEN `~side` = 1 THEN `~link 2` END) OVER (
        PARTITION BY `~link 1`
        ORDER BY `~link 2` DESC, `~side` ASC NULLS LAST
        ROWS BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW
      ) AS `~nearest 3`
    FROM (
      SELECT
        `~link 1`,
        `~link 2`,
        0 AS `~side`
      FROM `lane links`
      UNION ALL
      SELECT
        `~link 1`,
        `~link 2`,
        1 AS `~side`
      FROM `lane 2 links`
    ) AS `u`
  ) AS `w`
  WHERE
    `~side` = 0
), `nearest 2` AS (
  SELECT
    *
  FROM `nearest`
  WHERE
    NOT `~nearest 3` IS NULL AND ABS(DATEDIFF(`~link 2`, `~nearest 3`)) <= 2
), `lane 2 nearest` AS (
  SELECT
    `r`.*,
    `n`.`~link 1` AS `~link 1 l`,
    `n`.`~link 2` AS `~link 2 l`
  FROM `lane 2` AS `r`
  JOIN `nearest 2` AS `n`
    ON `r`.`route` = `n`.`~link 1` AND `r`.`day` = `n`.`~nearest 3`
), `join` AS (
  SELECT
    `l`.`route`,
    `l`.`day`,
    `l`.`amount`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    FALSE AS `~gap 4`,
    `r`.`~here` IS NULL AS `~gap 5`,
    `l`.`~row` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane` AS `l`
  LEFT JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2 nearest`
  ) AS `r`
    ON `l`.`route` = `r`.`~link 1 l` AND `l`.`day` = `r`.`~link 2 l`
  UNION ALL
  SELECT
    `r`.`route`,
    CAST(NULL AS DATE) AS `day`,
    CAST(NULL AS BIGINT) AS `amount`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    TRUE AS `~gap 4`,
    FALSE AS `~gap 5`,
    CAST(NULL AS BIGINT) AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane 2` AS `r`
  WHERE
    NOT EXISTS(
      SELECT
        1
      FROM `nearest 2` AS `n`
      WHERE
        `r`.`route` = `n`.`~link 1` AND `r`.`day` = `n`.`~nearest 3`
    )
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `day (Others)` AS `day (Others)`,
  `amount (Others)` AS `amount (Others)`
FROM `join`

-- nearest later within 2 days, strictly: counts
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `lane links` AS (
  SELECT DISTINCT
    `l`.`route` AS `~link 1`,
    `l`.`day` AS `~link 2`
  FROM `lane` AS `l`
  WHERE
    NOT `l`.`route` IS NULL AND NOT `l`.`day` IS NULL
), `lane 2 links` AS (
  SELECT DISTINCT
    `r`.`route` AS `~link 1`,
    `r`.`day` AS `~link 2`
  FROM `lane 2` AS `r`
  WHERE
    NOT `r`.`route` IS NULL AND NOT `r`.`day` IS NULL
), `nearest` AS (
  SELECT
    `~link 1`,
    `~link 2`,
    `~nearest 3`
  FROM (
    SELECT
      `~link 1`,
      `~link 2`,
      `~side`,
      MIN(CASE WHEN `~side` = 1 THEN `~link 2` END) OVER (
        PARTITION BY `~link 1`
        ORDER BY `~link 2` DESC, `~side` ASC NULLS LAST
        ROWS BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW
      ) AS `~nearest 3`
    FROM (
      SELECT
        `~link 1`,
        `~link 2`,
        0 AS `~side`
      FROM `lane links`
      UNION ALL
      SELECT
        `~link 1`,
        `~link 2`,
        1 AS `~side`
      FROM `lane 2 links`
    ) AS `u`
  ) AS `w`
  WHERE
    `~side` = 0
), `nearest 2` AS (
  SELECT
    *
  FROM `nearest`
  WHERE
    NOT `~nearest 3` IS NULL AND ABS(DATEDIFF(`~link 2`, `~nearest 3`)) <= 2
), `lane values` AS (
  SELECT
    `l`.`route` AS `k0`,
    `l`.`day` AS `k1`,
    COUNT(*) AS `n`
  FROM `lane` AS `l`
  WHERE
    NOT `l`.`route` IS NULL AND NOT `l`.`day` IS NULL
  GROUP BY
    `l`.`route`,
    `l`.`day`
), `lane 2 values` AS (
  SELECT
    `r`.`route` AS `k0`,
    `r`.`day` AS `k1`,
    COUNT(*) AS `n`
  FROM `lane 2` AS `r`
  WHERE
    NOT `r`.`route` IS NULL AND NOT `r`.`day` IS NULL
  GROUP BY
    `r`.`route`,
    `r`.`day`
), `values that meet` AS (
  SELECT
    `l`.`k0` AS `lk0`,
    `l`.`k1` AS `lk1`,
    `r`.`k0` AS `rk0`,
    `r`.`k1` AS `rk1`,
    `l`.`n` AS `ln`,
    `r`.`n` AS `rn`
  FROM `nearest 2` AS `p`
  JOIN `lane values` AS `l`
    ON `l`.`k0` = `p`.`~link 1` AND `l`.`k1` = `p`.`~link 2`
  JOIN `lane 2 values` AS `r`
    ON `r`.`k0` = `p`.`~link 1` AND `r`.`k1` = `p`.`~nearest 3`
)
SELECT
  `left rows`,
  `left found`,
  `left blank`,
  `left repeated`,
  `left multiplied`,
  `left distinct`,
  `left distinct found`,
  `left ambiguous`,
  `right rows`,
  `right found`,
  `right blank`,
  `right repeated`,
  `right multiplied`,
  `right distinct`,
  `right distinct found`,
  `right ambiguous`,
  `pairs`
FROM (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) AS `left rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `left found`,
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `left blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `left repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `left multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct found`,
    0 AS `left ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`k0`,
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane values` AS `t`
      LEFT JOIN (
        SELECT
          `lk0` AS `k0`,
          `lk1` AS `k1`,
          SUM(`rn`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `lk0`,
          `lk1`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0` AND `t`.`k1` = `p`.`k1`
    ) AS `o`
    GROUP BY
      `k0`
  ) AS `k`
) AS `c0`
CROSS JOIN (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) AS `right rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `right found`,
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `right blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `right repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `right multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct`,
    CAST(COALESCE(SUM(CASE WHEN `found` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct found`,
    0 AS `right ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `t`.`k0`,
        `t`.`n`,
        COALESCE(`p`.`partners`, 0) AS `partners`
      FROM `lane 2 values` AS `t`
      LEFT JOIN (
        SELECT
          `rk0` AS `k0`,
          `rk1` AS `k1`,
          SUM(`ln`) AS `partners`
        FROM `values that meet`
        GROUP BY
          `rk0`,
          `rk1`
      ) AS `p`
        ON `t`.`k0` = `p`.`k0` AND `t`.`k1` = `p`.`k1`
    ) AS `o`
    GROUP BY
      `k0`
  ) AS `k`
) AS `c1`
CROSS JOIN (
  SELECT
    COALESCE(SUM(CAST(`ln` AS DECIMAL(38, 0)) * `rn`), 0) AS `pairs`
  FROM `values that meet`
) AS `c2`

-- by month: rows
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `join` AS (
  SELECT
    `l`.`route`,
    `l`.`day`,
    `l`.`amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    `l`.`~here` IS NULL AS `~gap 1`,
    `r`.`~here` IS NULL AS `~gap 2`,
    `l`.`~row` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane`
  ) AS `l`
  FULL JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2`
  ) AS `r`
    ON CAST(DATE_TRUNC('month', CAST(`l`.`day` AS TIMESTAMP_NTZ)) AS DATE) = CAST(DATE_TRUNC('month', CAST(`r`.`day` AS TIMESTAMP_NTZ)) AS DATE)
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `route (Others)` AS `route (Others)`,
  `day (Others)` AS `day (Others)`,
  `amount (Others)` AS `amount (Others)`
FROM `join`

-- by month: counts
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
)
SELECT
  CAST(COALESCE(SUM(`l`.`n`), 0) AS BIGINT) AS `left rows`,
  CAST(COALESCE(
    SUM(CASE WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL THEN `l`.`n` ELSE 0 END),
    0
  ) AS BIGINT) AS `left found`,
  CAST(COALESCE(SUM(CASE WHEN NOT (
    NOT `l`.`k0` IS NULL
  ) THEN `l`.`n` ELSE 0 END), 0) AS BIGINT) AS `left blank`,
  CAST(COALESCE(
    SUM(
      CASE
        WHEN NOT `l`.`n` IS NULL AND NOT `l`.`k0` IS NULL AND `l`.`n` > 1
        THEN `l`.`n`
        ELSE 0
      END
    ),
    0
  ) AS BIGINT) AS `left repeated`,
  CAST(COALESCE(
    SUM(
      CASE
        WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL AND `r`.`n` > 1
        THEN `l`.`n`
        ELSE 0
      END
    ),
    0
  ) AS BIGINT) AS `left multiplied`,
  CAST(COALESCE(SUM(CASE WHEN NOT `l`.`n` IS NULL AND NOT `l`.`k0` IS NULL THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct`,
  CAST(COALESCE(SUM(CASE WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct found`,
  0 AS `left ambiguous`,
  CAST(COALESCE(SUM(`r`.`n`), 0) AS BIGINT) AS `right rows`,
  CAST(COALESCE(
    SUM(CASE WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL THEN `r`.`n` ELSE 0 END),
    0
  ) AS BIGINT) AS `right found`,
  CAST(COALESCE(SUM(CASE WHEN NOT (
    NOT `r`.`k0` IS NULL
  ) THEN `r`.`n` ELSE 0 END), 0) AS BIGINT) AS `right blank`,
  CAST(COALESCE(
    SUM(
      CASE
        WHEN NOT `r`.`n` IS NULL AND NOT `r`.`k0` IS NULL AND `r`.`n` > 1
        THEN `r`.`n`
        ELSE 0
      END
    ),
    0
  ) AS BIGINT) AS `right repeated`,
  CAST(COALESCE(
    SUM(
      CASE
        WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL AND `l`.`n` > 1
        THEN `r`.`n`
        ELSE 0
      END
    ),
    0
  ) AS BIGINT) AS `right multiplied`,
  CAST(COALESCE(SUM(CASE WHEN NOT `r`.`n` IS NULL AND NOT `r`.`k0` IS NULL THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct`,
  CAST(COALESCE(SUM(CASE WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct found`,
  0 AS `right ambiguous`,
  COALESCE(
    SUM(
      CASE
        WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL
        THEN CAST(`l`.`n` AS DECIMAL(38, 0)) * `r`.`n`
      END
    ),
    0
  ) AS `pairs`
FROM (
  SELECT
    CAST(DATE_TRUNC('month', CAST(`l`.`day` AS TIMESTAMP_NTZ)) AS DATE) AS `k0`,
    COUNT(*) AS `n`
  FROM `lane` AS `l`
  GROUP BY
    CAST(DATE_TRUNC('month', CAST(`l`.`day` AS TIMESTAMP_NTZ)) AS DATE)
) AS `l`
FULL JOIN (
  SELECT
    CAST(DATE_TRUNC('month', CAST(`r`.`day` AS TIMESTAMP_NTZ)) AS DATE) AS `k0`,
    COUNT(*) AS `n`
  FROM `lane 2` AS `r`
  GROUP BY
    CAST(DATE_TRUNC('month', CAST(`r`.`day` AS TIMESTAMP_NTZ)) AS DATE)
) AS `r`
  ON `l`.`k0` = `r`.`k0`

-- blanks match: rows
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `join` AS (
  SELECT
    CASE WHEN `l`.`~here` IS NULL THEN `r`.`route` ELSE `l`.`route` END AS `route`,
    CASE WHEN `l`.`~here` IS NULL THEN `r`.`day` ELSE `l`.`day` END AS `day`,
    `l`.`amount`,
    `r`.`amount` AS `amount (Others)`,
    `l`.`~here` IS NULL AS `~gap 1`,
    `r`.`~here` IS NULL AS `~gap 2`,
    `l`.`~row` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane`
  ) AS `l`
  FULL JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2`
  ) AS `r`
    ON COALESCE(`l`.`route`, '') = COALESCE(`r`.`route`, '')
    AND (
      `l`.`route` IS NULL
    ) = (
      `r`.`route` IS NULL
    )
    AND COALESCE(`l`.`day`, CAST('1970-01-01' AS DATE)) = COALESCE(`r`.`day`, CAST('1970-01-01' AS DATE))
    AND (
      `l`.`day` IS NULL
    ) = (
      `r`.`day` IS NULL
    )
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `amount (Others)` AS `amount (Others)`
FROM `join`

-- blanks match: counts
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
)
SELECT
  CAST(COALESCE(SUM(`l`.`n`), 0) AS BIGINT) AS `left rows`,
  CAST(COALESCE(
    SUM(CASE WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL THEN `l`.`n` ELSE 0 END),
    0
  ) AS BIGINT) AS `left found`,
  CAST(COALESCE(
    SUM(
      CASE
        WHEN NOT (
          NOT `l`.`k0` IS NULL
          AND NOT `l`.`k1` IS NULL
          AND NOT `l`.`k2` IS NULL
          AND NOT `l`.`k3` IS NULL
        )
        THEN `l`.`n`
        ELSE 0
      END
    ),
    0
  ) AS BIGINT) AS `left blank`,
  CAST(COALESCE(
    SUM(
      CASE
        WHEN NOT `l`.`n` IS NULL
        AND NOT `l`.`k0` IS NULL
        AND NOT `l`.`k1` IS NULL
        AND NOT `l`.`k2` IS NULL
        AND NOT `l`.`k3` IS NULL
        AND `l`.`n` > 1
        THEN `l`.`n`
        ELSE 0
      END
    ),
    0
  ) AS BIGINT) AS `left repeated`,
  CAST(COALESCE(
    SUM(
      CASE
        WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL AND `r`.`n` > 1
        THEN `l`.`n`
        ELSE 0
      END
    ),
    0
  ) AS BIGINT) AS `left multiplied`,
  CAST(COALESCE(
    SUM(
      CASE
        WHEN NOT `l`.`n` IS NULL
        AND NOT `l`.`k0` IS NULL
        AND NOT `l`.`k1` IS NULL
        AND NOT `l`.`k2` IS NULL
        AND NOT `l`.`k3` IS NULL
        THEN 1
        ELSE 0
      END
    ),
    0
  ) AS BIGINT) AS `left distinct`,
  CAST(COALESCE(SUM(CASE WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct found`,
  0 AS `left ambiguous`,
  CAST(COALESCE(SUM(`r`.`n`), 0) AS BIGINT) AS `right rows`,
  CAST(COALESCE(
    SUM(CASE WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL THEN `r`.`n` ELSE 0 END),
    0
  ) AS BIGINT) AS `right found`,
  CAST(COALESCE(
    SUM(
      CASE
        WHEN NOT (
          NOT `r`.`k0` IS NULL
          AND NOT `r`.`k1` IS NULL
          AND NOT `r`.`k2` IS NULL
          AND NOT `r`.`k3` IS NULL
        )
        THEN `r`.`n`
        ELSE 0
      END
    ),
    0
  ) AS BIGINT) AS `right blank`,
  CAST(COALESCE(
    SUM(
      CASE
        WHEN NOT `r`.`n` IS NULL
        AND NOT `r`.`k0` IS NULL
        AND NOT `r`.`k1` IS NULL
        AND NOT `r`.`k2` IS NULL
        AND NOT `r`.`k3` IS NULL
        AND `r`.`n` > 1
        THEN `r`.`n`
        ELSE 0
      END
    ),
    0
  ) AS BIGINT) AS `right repeated`,
  CAST(COALESCE(
    SUM(
      CASE
        WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL AND `l`.`n` > 1
        THEN `r`.`n`
        ELSE 0
      END
    ),
    0
  ) AS BIGINT) AS `right multiplied`,
  CAST(COALESCE(
    SUM(
      CASE
        WHEN NOT `r`.`n` IS NULL
        AND NOT `r`.`k0` IS NULL
        AND NOT `r`.`k1` IS NULL
        AND NOT `r`.`k2` IS NULL
        AND NOT `r`.`k3` IS NULL
        THEN 1
        ELSE 0
      END
    ),
    0
  ) AS BIGINT) AS `right distinct`,
  CAST(COALESCE(SUM(CASE WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct found`,
  0 AS `right ambiguous`,
  COALESCE(
    SUM(
      CASE
        WHEN NOT `l`.`n` IS NULL AND NOT `r`.`n` IS NULL
        THEN CAST(`l`.`n` AS DECIMAL(38, 0)) * `r`.`n`
      END
    ),
    0
  ) AS `pairs`
FROM (
  SELECT
    COALESCE(`l`.`route`, '') AS `k0`,
    (
      `l`.`route` IS NULL
    ) AS `k1`,
    COALESCE(`l`.`day`, CAST('1970-01-01' AS DATE)) AS `k2`,
    (
      `l`.`day` IS NULL
    ) AS `k3`,
    COUNT(*) AS `n`
  FROM `lane` AS `l`
  GROUP BY
    COALESCE(`l`.`route`, ''),
    (
      `l`.`route` IS NULL
    ),
    COALESCE(`l`.`day`, CAST('1970-01-01' AS DATE)),
    (
      `l`.`day` IS NULL
    )
) AS `l`
FULL JOIN (
  SELECT
    COALESCE(`r`.`route`, '') AS `k0`,
    (
      `r`.`route` IS NULL
    ) AS `k1`,
    COALESCE(`r`.`day`, CAST('1970-01-01' AS DATE)) AS `k2`,
    (
      `r`.`day` IS NULL
    ) AS `k3`,
    COUNT(*) AS `n`
  FROM `lane 2` AS `r`
  GROUP BY
    COALESCE(`r`.`route`, ''),
    (
      `r`.`route` IS NULL
    ),
    COALESCE(`r`.`day`, CAST('1970-01-01' AS DATE)),
    (
      `r`.`day` IS NULL
    )
) AS `r`
  ON `l`.`k0` = `r`.`k0`
  AND `l`.`k1` = `r`.`k1`
  AND `l`.`k2` = `r`.`k2`
  AND `l`.`k3` = `r`.`k3`

-- first by amount: rows
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `candidates` AS (
  SELECT
    `l`.`~row` AS `~left 1`,
    `r`.`~row` AS `~right 2`,
    COUNT(*) OVER (PARTITION BY `l`.`~row`) AS `~several`,
    ROW_NUMBER() OVER (PARTITION BY `l`.`~row` ORDER BY `r`.`amount` DESC, `r`.`~row` ASC NULLS LAST) AS `~place`
  FROM `lane` AS `l`
  JOIN `lane 2` AS `r`
    ON `l`.`route` = `r`.`route`
), `partners` AS (
  SELECT
    *
  FROM `candidates`
  WHERE
    `~place` = 1
), `lane 2 partners` AS (
  SELECT
    `r`.*,
    `p`.`~left 1` AS `~of 3`
  FROM `lane 2` AS `r`
  JOIN `partners` AS `p`
    ON `r`.`~row` = `p`.`~right 2`
), `join` AS (
  SELECT
    `l`.`route`,
    `l`.`day`,
    `l`.`amount`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    FALSE AS `~gap 4`,
    `r`.`~here` IS NULL AS `~gap 5`,
    `l`.`~row` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane` AS `l`
  LEFT JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2 partners`
  ) AS `r`
    ON `l`.`~row` = `r`.`~of 3`
  UNION ALL
  SELECT
    `r`.`route`,
    CAST(NULL AS DATE) AS `day`,
    CAST(NULL AS BIGINT) AS `amount`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    TRUE AS `~gap 4`,
    FALSE AS `~gap 5`,
    CAST(NULL AS BIGINT) AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane 2` AS `r`
  WHERE
    NOT EXISTS(
      SELECT
        1
      FROM `partners` AS `p`
      WHERE
        `r`.`~row` = `p`.`~right 2`
    )
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `day (Others)` AS `day (Others)`,
  `amount (Others)` AS `amount (Others)`
FROM `join`

-- first by amount: counts
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `candidates` AS (
  SELECT
    `l`.`~row` AS `~left 1`,
    `r`.`~row` AS `~right 2`,
    COUNT(*) OVER (PARTITION BY `l`.`~row`) AS `~several`,
    ROW_NUMBER() OVER (PARTITION BY `l`.`~row` ORDER BY `r`.`amount` DESC, `r`.`~row` ASC NULLS LAST) AS `~place`
  FROM `lane` AS `l`
  JOIN `lane 2` AS `r`
    ON `l`.`route` = `r`.`route`
), `partners` AS (
  SELECT
    *
  FROM `candidates`
  WHERE
    `~place` = 1
), `lane partners` AS (
  SELECT
    `l`.`route` AS `k0`,
    COALESCE(`before`.`before`, 0) AS `before`,
    COALESCE(`now`.`now`, 0) AS `now`
  FROM `lane` AS `l`
  LEFT JOIN (
    SELECT
      `~left 1` AS `nr`,
      COUNT(*) AS `before`
    FROM `candidates`
    GROUP BY
      `~left 1`
  ) AS `before`
    ON `l`.`~row` = `before`.`nr`
  LEFT JOIN (
    SELECT
      `~left 1` AS `nr`,
      COUNT(*) AS `now`
    FROM `partners`
    GROUP BY
      `~left 1`
  ) AS `now`
    ON `l`.`~row` = `now`.`nr`
  WHERE
    NOT `l`.`route` IS NULL
), `lane 2 partners 2` AS (
  SELECT
    `r`.`route` AS `k0`,
    COALESCE(`before`.`before`, 0) AS `before`,
    COALESCE(`now`.`now`, 0) AS `now`
  FROM `lane 2` AS `r`
  LEFT JOIN (
    SELECT
      `~right 2` AS `nr`,
      COUNT(*) AS `before`
    FROM `candidates`
    GROUP BY
      `~right 2`
  ) AS `before`
    ON `r`.`~row` = `before`.`nr`
  LEFT JOIN (
    SELECT
      `~right 2` AS `nr`,
      COUNT(*) AS `now`
    FROM `partners`
    GROUP BY
      `~right 2`
  ) AS `now`
    ON `r`.`~row` = `now`.`nr`
  WHERE
    NOT `r`.`route` IS NULL
)
SELECT
  `left rows`,
  `left found`,
  `left blank`,
  `left repeated`,
  `left multiplied`,
  `left distinct`,
  `left distinct found`,
  `left ambiguous`,
  `right rows`,
  `right found`,
  `right blank`,
  `right repeated`,
  `right multiplied`,
  `right distinct`,
  `right distinct found`,
  `right ambiguous`,
  `pairs`
FROM (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) AS `left rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `left found`,
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `left blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `left repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `left multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct`,
    (
      SELECT
        COUNT(*)
      FROM (
        SELECT
          `k0`,
          MAX(`before`) AS `partners`
        FROM `lane partners`
        GROUP BY
          `k0`
      ) AS `b`
      WHERE
        `partners` > 0
    ) AS `left distinct found`,
    (
      SELECT
        COUNT(*)
      FROM `lane partners`
      WHERE
        `before` > 1
    ) AS `left ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `k0`,
        1 AS `n`,
        `now` AS `partners`
      FROM `lane partners`
    ) AS `o`
    GROUP BY
      `k0`
  ) AS `k`
) AS `c0`
CROSS JOIN (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) AS `right rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `right found`,
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `right blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `right repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `right multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct`,
    (
      SELECT
        COUNT(*)
      FROM (
        SELECT
          `k0`,
          MAX(`before`) AS `partners`
        FROM `lane 2 partners 2`
        GROUP BY
          `k0`
      ) AS `b`
      WHERE
        `partners` > 0
    ) AS `right distinct found`,
    0 AS `right ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `k0`,
        1 AS `n`,
        `now` AS `partners`
      FROM `lane 2 partners 2`
    ) AS `o`
    GROUP BY
      `k0`
  ) AS `k`
) AS `c1`
CROSS JOIN (
  SELECT
    COUNT(*) AS `pairs`
  FROM `partners`
) AS `c2`

-- last of the right: rows
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `candidates` AS (
  SELECT
    `l`.`~row` AS `~left 1`,
    `r`.`~row` AS `~right 2`,
    COUNT(*) OVER (PARTITION BY `r`.`~row`) AS `~several`,
    ROW_NUMBER() OVER (PARTITION BY `r`.`~row` ORDER BY `l`.`day` DESC, `l`.`~row` DESC NULLS FIRST) AS `~place`
  FROM `lane` AS `l`
  JOIN `lane 2` AS `r`
    ON `l`.`amount` < `r`.`amount`
), `partners` AS (
  SELECT
    *
  FROM `candidates`
  WHERE
    `~place` = 1
), `lane 2 partners` AS (
  SELECT
    `r`.*,
    `p`.`~left 1` AS `~of 3`
  FROM `lane 2` AS `r`
  JOIN `partners` AS `p`
    ON `r`.`~row` = `p`.`~right 2`
), `join` AS (
  SELECT
    `l`.`route`,
    `l`.`day`,
    `l`.`amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    FALSE AS `~gap 4`,
    `r`.`~here` IS NULL AS `~gap 5`,
    `l`.`~row` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane` AS `l`
  LEFT JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2 partners`
  ) AS `r`
    ON `l`.`~row` = `r`.`~of 3`
  UNION ALL
  SELECT
    CAST(NULL AS STRING) AS `route`,
    CAST(NULL AS DATE) AS `day`,
    CAST(NULL AS BIGINT) AS `amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    TRUE AS `~gap 4`,
    FALSE AS `~gap 5`,
    CAST(NULL AS BIGINT) AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane 2` AS `r`
  WHERE
    NOT EXISTS(
      SELECT
        1
      FROM `partners` AS `p`
      WHERE
        `r`.`~row` = `p`.`~right 2`
    )
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `route (Others)` AS `route (Others)`,
  `day (Others)` AS `day (Others)`,
  `amount (Others)` AS `amount (Others)`
FROM `join`

-- last of the right: counts
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `candidates` AS (
  SELECT
    `l`.`~row` AS `~left 1`,
    `r`.`~row` AS `~right 2`,
    COUNT(*) OVER (PARTITION BY `r`.`~row`) AS `~several`,
    ROW_NUMBER() OVER (PARTITION BY `r`.`~row` ORDER BY `l`.`day` DESC, `l`.`~row` DESC NULLS FIRST) AS `~place`
  FROM `lane` AS `l`
  JOIN `lane 2` AS `r`
    ON `l`.`amount` < `r`.`amount`
), `partners` AS (
  SELECT
    *
  FROM `candidates`
  WHERE
    `~place` = 1
), `lane partners` AS (
  SELECT
    COALESCE(`before`.`before`, 0) AS `before`,
    COALESCE(`now`.`now`, 0) AS `now`
  FROM `lane` AS `l`
  LEFT JOIN (
    SELECT
      `~left 1` AS `nr`,
      COUNT(*) AS `before`
    FROM `candidates`
    GROUP BY
      `~left 1`
  ) AS `before`
    ON `l`.`~row` = `before`.`nr`
  LEFT JOIN (
    SELECT
      `~left 1` AS `nr`,
      COUNT(*) AS `now`
    FROM `partners`
    GROUP BY
      `~left 1`
  ) AS `now`
    ON `l`.`~row` = `now`.`nr`
  WHERE
    NOT `l`.`amount` IS NULL
), `lane 2 partners 2` AS (
  SELECT
    COALESCE(`before`.`before`, 0) AS `before`,
    COALESCE(`now`.`now`, 0) AS `now`
  FROM `lane 2` AS `r`
  LEFT JOIN (
    SELECT
      `~right 2` AS `nr`,
      COUNT(*) AS `before`
    FROM `candidates`
    GROUP BY
      `~right 2`
  ) AS `before`
    ON `r`.`~row` = `before`.`nr`
  LEFT JOIN (
    SELECT
      `~right 2` AS `nr`,
      COUNT(*) AS `now`
    FROM `partners`
    GROUP BY
      `~right 2`
  ) AS `now`
    ON `r`.`~row` = `now`.`nr`
  WHERE
    NOT `r`.`amount` IS NULL
)
SELECT
  `left rows`,
  `left found`,
  `left blank`,
  `left repeated`,
  `left multiplied`,
  `left distinct`,
  `left distinct found`,
  `left ambiguous`,
  `right rows`,
  `right found`,
  `right blank`,
  `right repeated`,
  `right multiplied`,
  `right distinct`,
  `right distinct found`,
  `right ambiguous`,
  `pairs`
FROM (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) AS `left rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `left found`,
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `left blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `left repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `left multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct`,
    (
      SELECT
        COUNT(*)
      FROM (
        SELECT
          MAX(`before`) AS `partners`
        FROM `lane partners`
      ) AS `b`
      WHERE
        `partners` > 0
    ) AS `left distinct found`,
    0 AS `left ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        1 AS `n`,
        `now` AS `partners`
      FROM `lane partners`
    ) AS `o`
  ) AS `k`
) AS `c0`
CROSS JOIN (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) AS `right rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `right found`,
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `right blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `right repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `right multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct`,
    (
      SELECT
        COUNT(*)
      FROM (
        SELECT
          MAX(`before`) AS `partners`
        FROM `lane 2 partners 2`
      ) AS `b`
      WHERE
        `partners` > 0
    ) AS `right distinct found`,
    (
      SELECT
        COUNT(*)
      FROM `lane 2 partners 2`
      WHERE
        `before` > 1
    ) AS `right ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        1 AS `n`,
        `now` AS `partners`
      FROM `lane 2 partners 2`
    ) AS `o`
  ) AS `k`
) AS `c1`
CROSS JOIN (
  SELECT
    COUNT(*) AS `pairs`
  FROM `partners`
) AS `c2`

-- only: rows
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `candidates` AS (
  SELECT
    `l`.`~row` AS `~left 1`,
    `r`.`~row` AS `~right 2`,
    COUNT(*) OVER (PARTITION BY `l`.`~row`) AS `~several`
  FROM `lane` AS `l`
  JOIN `lane 2` AS `r`
    ON `l`.`route` = `r`.`route`
), `partners` AS (
  SELECT
    *
  FROM `candidates`
  WHERE
    `~several` = 1
), `lane 2 partners` AS (
  SELECT
    `r`.*,
    `p`.`~left 1` AS `~of 3`
  FROM `lane 2` AS `r`
  JOIN `partners` AS `p`
    ON `r`.`~row` = `p`.`~right 2`
), `join` AS (
  SELECT
    `l`.`route`,
    `l`.`day`,
    `l`.`amount`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    FALSE AS `~gap 4`,
    `r`.`~here` IS NULL AS `~gap 5`,
    `l`.`~row` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane` AS `l`
  LEFT JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2 partners`
  ) AS `r`
    ON `l`.`~row` = `r`.`~of 3`
  UNION ALL
  SELECT
    `r`.`route`,
    CAST(NULL AS DATE) AS `day`,
    CAST(NULL AS BIGINT) AS `amount`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    TRUE AS `~gap 4`,
    FALSE AS `~gap 5`,
    CAST(NULL AS BIGINT) AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane 2` AS `r`
  WHERE
    NOT EXISTS(
      SELECT
        1
      FROM `partners` AS `p`
      WHERE
        `r`.`~row` = `p`.`~right 2`
    )
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `day (Others)` AS `day (Others)`,
  `amount (Others)` AS `amount (Others)`
FROM `join`

-- only: counts
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `candidates` AS (
  SELECT
    `l`.`~row` AS `~left 1`,
    `r`.`~row` AS `~right 2`,
    COUNT(*) OVER (PARTITION BY `l`.`~row`) AS `~several`
  FROM `lane` AS `l`
  JOIN `lane 2` AS `r`
    ON `l`.`route` = `r`.`route`
), `partners` AS (
  SELECT
    *
  FROM `candidates`
  WHERE
    `~several` = 1
), `lane partners` AS (
  SELECT
    `l`.`route` AS `k0`,
    COALESCE(`before`.`before`, 0) AS `before`,
    COALESCE(`now`.`now`, 0) AS `now`
  FROM `lane` AS `l`
  LEFT JOIN (
    SELECT
      `~left 1` AS `nr`,
      COUNT(*) AS `before`
    FROM `candidates`
    GROUP BY
      `~left 1`
  ) AS `before`
    ON `l`.`~row` = `before`.`nr`
  LEFT JOIN (
    SELECT
      `~left 1` AS `nr`,
      COUNT(*) AS `now`
    FROM `partners`
    GROUP BY
      `~left 1`
  ) AS `now`
    ON `l`.`~row` = `now`.`nr`
  WHERE
    NOT `l`.`route` IS NULL
), `lane 2 partners 2` AS (
  SELECT
    `r`.`route` AS `k0`,
    COALESCE(`before`.`before`, 0) AS `before`,
    COALESCE(`now`.`now`, 0) AS `now`
  FROM `lane 2` AS `r`
  LEFT JOIN (
    SELECT
      `~right 2` AS `nr`,
      COUNT(*) AS `before`
    FROM `candidates`
    GROUP BY
      `~right 2`
  ) AS `before`
    ON `r`.`~row` = `before`.`nr`
  LEFT JOIN (
    SELECT
      `~right 2` AS `nr`,
      COUNT(*) AS `now`
    FROM `partners`
    GROUP BY
      `~right 2`
  ) AS `now`
    ON `r`.`~row` = `now`.`nr`
  WHERE
    NOT `r`.`route` IS NULL
)
SELECT
  `left rows`,
  `left found`,
  `left blank`,
  `left repeated`,
  `left multiplied`,
  `left distinct`,
  `left distinct found`,
  `left ambiguous`,
  `right rows`,
  `right found`,
  `right blank`,
  `right repeated`,
  `right multiplied`,
  `right distinct`,
  `right distinct found`,
  `right ambiguous`,
  `pairs`
FROM (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) AS `left rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `left found`,
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `left blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `left repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `left multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `left distinct`,
    (
      SELECT
        COUNT(*)
      FROM (
        SELECT
          `k0`,
          MAX(`before`) AS `partners`
        FROM `lane partners`
        GROUP BY
          `k0`
      ) AS `b`
      WHERE
        `partners` > 0
    ) AS `left distinct found`,
    (
      SELECT
        COUNT(*)
      FROM `lane partners`
      WHERE
        `before` > 1
    ) AS `left ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `k0`,
        1 AS `n`,
        `now` AS `partners`
      FROM `lane partners`
    ) AS `o`
    GROUP BY
      `k0`
  ) AS `k`
) AS `c0`
CROSS JOIN (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) AS `right rows`,
    CAST(COALESCE(SUM(`found`), 0) AS BIGINT) AS `right found`,
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) - CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `right blank`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `right repeated`,
    CAST(COALESCE(SUM(`multiplied`), 0) AS BIGINT) AS `right multiplied`,
    CAST(COALESCE(SUM(CASE WHEN `n` > 0 THEN 1 ELSE 0 END), 0) AS BIGINT) AS `right distinct`,
    (
      SELECT
        COUNT(*)
      FROM (
        SELECT
          `k0`,
          MAX(`before`) AS `partners`
        FROM `lane 2 partners 2`
        GROUP BY
          `k0`
      ) AS `b`
      WHERE
        `partners` > 0
    ) AS `right distinct found`,
    0 AS `right ambiguous`
  FROM (
    SELECT
      CAST(COALESCE(SUM(`n`), 0) AS BIGINT) AS `n`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 0 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `found`,
      CAST(COALESCE(SUM(CASE WHEN `partners` > 1 THEN `n` ELSE 0 END), 0) AS BIGINT) AS `multiplied`
    FROM (
      SELECT
        `k0`,
        1 AS `n`,
        `now` AS `partners`
      FROM `lane 2 partners 2`
    ) AS `o`
    GROUP BY
      `k0`
  ) AS `k`
) AS `c1`
CROSS JOIN (
  SELECT
    COUNT(*) AS `pairs`
  FROM `partners`
) AS `c2`

-- cross: rows
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
), `join` AS (
  SELECT
    `l`.`route`,
    `l`.`day`,
    `l`.`amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    FALSE AS `~gap 1`,
    `r`.`~here` IS NULL AS `~gap 2`,
    `l`.`~row` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane` AS `l`
  LEFT JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2`
  ) AS `r`
    ON TRUE
  UNION ALL
  SELECT
    CAST(NULL AS STRING) AS `route`,
    CAST(NULL AS DATE) AS `day`,
    CAST(NULL AS BIGINT) AS `amount`,
    `r`.`route` AS `route (Others)`,
    `r`.`day` AS `day (Others)`,
    `r`.`amount` AS `amount (Others)`,
    TRUE AS `~gap 1`,
    FALSE AS `~gap 2`,
    CAST(NULL AS BIGINT) AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM `lane 2` AS `r`
  WHERE
    NOT EXISTS(
      SELECT
        1
      FROM `lane` AS `l`
      WHERE
        TRUE
    )
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `route (Others)` AS `route (Others)`,
  `day (Others)` AS `day (Others)`,
  `amount (Others)` AS `amount (Others)`
FROM `join`

-- cross: counts
WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `others`
)
SELECT
  `a` AS `left rows`,
  CASE WHEN `b` > 0 THEN `a` ELSE 0 END AS `left found`,
  0 AS `left blank`,
  CASE WHEN `a` > 1 THEN `a` ELSE 0 END AS `left repeated`,
  CASE WHEN `b` > 1 THEN `a` ELSE 0 END AS `left multiplied`,
  CASE WHEN `a` > 0 THEN 1 ELSE 0 END AS `left distinct`,
  CASE WHEN `a` > 0 AND `b` > 0 THEN 1 ELSE 0 END AS `left distinct found`,
  0 AS `left ambiguous`,
  `b` AS `right rows`,
  CASE WHEN `a` > 0 THEN `b` ELSE 0 END AS `right found`,
  0 AS `right blank`,
  CASE WHEN `b` > 1 THEN `b` ELSE 0 END AS `right repeated`,
  CASE WHEN `a` > 1 THEN `b` ELSE 0 END AS `right multiplied`,
  CASE WHEN `b` > 0 THEN 1 ELSE 0 END AS `right distinct`,
  CASE WHEN `b` > 0 AND `a` > 0 THEN 1 ELSE 0 END AS `right distinct found`,
  0 AS `right ambiguous`,
  CAST(`a` AS DECIMAL(38, 0)) * `b` AS `pairs`
FROM (
  SELECT
    (
      SELECT
        COUNT(*)
      FROM `lane`
    ) AS `a`,
    (
      SELECT
        COUNT(*)
      FROM `lane 2`
    ) AS `b`
) AS `n`
