WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `lane 2` AS (
  SELECT
    *
  FROM `routes`
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
    `r`.`code` AS `k0`,
    COUNT(*) AS `n`
  FROM `lane 2` AS `r`
  GROUP BY
    `r`.`code`
) AS `r`
  ON `l`.`k0` = `r`.`k0`
