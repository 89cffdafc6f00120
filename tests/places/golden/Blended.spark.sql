WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `summary` AS (
  SELECT
    `route`,
    SUM(CAST(`amount` AS DECIMAL(38, 18))) AS `sum of amount`,
    MIN(`~row`) AS `~first`
  FROM `lane`
  GROUP BY
    `route`
), `lane 2` AS (
  SELECT
    *
  FROM `routes`
), `join` AS (
  SELECT
    CASE WHEN `l`.`~here` IS NULL THEN `r`.`code` ELSE `l`.`route` END AS `route`,
    `l`.`sum of amount`,
    `l`.`~here` IS NULL AS `~gap 1`,
    `l`.`~first` AS `~l 0`,
    `r`.`~row` AS `~r 0`
  FROM (
    SELECT
      *,
      TRUE AS `~here`
    FROM `summary`
  ) AS `l`
  FULL JOIN (
    SELECT
      *,
      TRUE AS `~here`
    FROM `lane 2`
  ) AS `r`
    ON `l`.`route` = `r`.`code`
)
SELECT
  `route` AS `route`,
  `sum of amount` AS `sum of amount`
FROM `join`
