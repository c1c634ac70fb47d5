'use client';
import { useState } from 'react';
import { ChoiceRow } from '../fold/fields';
import { Deliveries } from './deliveries';
import { RatesChart } from './rates-chart';
import { useNews } from './use-news';

interface Props {
  readonly slug: string;
  readonly topic: string;
  readonly environments: readonly { readonly name: string; readonly title: string }[];
  /** A door calls its subscribers back. */
  readonly callsBack: boolean;
  readonly readOnly: boolean;
}

/** What goes on with a topic at the gateways: how much, who is called back, and with what end. */
export function Happening({ slug, topic, environments, callsBack, readOnly }: Props) {
  const [environment, setEnvironment] = useState(environments[0]?.name ?? '');
  const news = useNews(slug, environment);
  return (
    <>
      <section className="deliveries" aria-label="Through this topic">
        <div className="row">
          <h3 className="grow">Through this topic</h3>
          <ChoiceRow
            hideLabel
            label="Seen in"
            width={130}
            value={environment}
            options={environments.map((e): [string, string] => [e.name, e.title])}
            onChange={setEnvironment}
          />
        </div>
        {news.away && (
          <div className="told" role="alert">
            {news.away}
          </div>
        )}
        {news.told ? (
          <RatesChart rates={news.told.rates.filter((r) => r.topic === topic)} now={news.told.now} />
        ) : (
          !news.away && <p className="soft">Asking the gateways …</p>
        )}
      </section>
      {callsBack && <Deliveries slug={slug} topic={topic} news={news} readOnly={readOnly} />}
    </>
  );
}
